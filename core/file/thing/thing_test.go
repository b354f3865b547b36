package thing_test

import (
	"testing"

	. "aftergust/core/file/thing"

	"github.com/stretchr/testify/assert"
)

func TestWhatIsWrittenHereHasOneKindOfContent(t *testing.T) {
	assert.Equal(t, []Kind{File, Link, Swatch, Sheet}, All.Names())
	seen := map[What]bool{}
	for _, k := range All.Names() {
		d := All.Get(k)
		assert.Equal(t, k != File, d.Written, k)
		assert.Equal(t, d.Written, Whats.Has(d.What), k)
		assert.False(t, seen[d.What], k)
		seen[d.What] = true
	}
	for what, want := range map[What]Kind{ASheet: Sheet, ASwatch: Swatch, ALink: Link, Film: File, Other: File, "": File} {
		assert.Equal(t, want, KindOf(what), what)
	}
}

func TestContentThatPlaysAndContentThatIsShown(t *testing.T) {
	for _, w := range Whats.Names() {
		d := Whats.Get(w)
		assert.Equal(t, w == Film || w == Sound, d.Plays, w)
		assert.Equal(t, w != ALink && w != ASwatch, d.Previews, w)
		assert.NotEmpty(t, d.Word, w)
		assert.NotEmpty(t, d.Means, w)
	}
	assert.Len(t, Whats.Names(), 10)
}
