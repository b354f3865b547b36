package naming_test

import (
	"bytes"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"

	"aftergust/core/file/naming"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

// Source: common practice for natural order, and UTS #10 (punctuation before
// digits before letters, accents and case only between what is else alike).
func TestNamesSortAsPeopleExpect(t *testing.T) {
	want := []string{"", "_notes.txt", "1 start.wav", "2 end.wav", "10 credits.wav", "cut v2.mov", "Cut v03.mov", "cut v10.mov",
		"Émile.wav", "emu.wav", "harbour_02_take9.mov", "harbour_02_take10.mov", "harbour_010_take1.mov", "Stills", "Stills 2", "stills 2b",
		"zebra.mov", "Ωmega.mov", "港.mov"}
	got := slices.Clone(want)
	rand.New(rand.NewPCG(1, 2)).Shuffle(len(got), func(i, j int) { got[i], got[j] = got[j], got[i] })
	slices.SortFunc(got, func(a, b string) int { return bytes.Compare(naming.OrderKey(a), naming.OrderKey(b)) })
	assert.Equal(t, want, got)
}

func TestDifferentNamesHaveDifferentKeys(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := rapid.String().Draw(t, "a"), rapid.String().Draw(t, "b")
		if (a == b) != bytes.Equal(naming.OrderKey(a), naming.OrderKey(b)) {
			t.Fatalf("%q and %q", a, b)
		}
	})
	assert.NotEqual(t, naming.OrderKey("take 01"), naming.OrderKey("take 1"))
}

// U+FDFA stands for eighteen letters (Unicode, its compatibility decomposition).
func TestAKeyOfAnyNameHasRoomInAnIndex(t *testing.T) {
	long := strings.Repeat("\ufdfa", 85) // 255 bytes, as long as a name can be
	assert.Less(t, len(naming.OrderKey(long)), 1100)
	assert.NotEqual(t, naming.OrderKey(long), naming.OrderKey(long[3:]))
}

func TestKeysCanBeMadeSideBySide(t *testing.T) {
	want := naming.OrderKey("harbour_02_take9.mov")
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 1000 {
				naming.OrderKey("something else 17")
				if !bytes.Equal(want, naming.OrderKey("harbour_02_take9.mov")) {
					t.Error("keys run into each other")
					return
				}
			}
		})
	}
	all.Wait()
}
