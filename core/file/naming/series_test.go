package naming_test

import (
	"fmt"
	"testing"

	"aftergust/core/file/naming"

	"github.com/stretchr/testify/assert"
)

// Ways in which producers count versions in names: common practice.
func TestNamesThatCountVersionsAreOfOneSeries(t *testing.T) {
	for _, group := range [][]string{
		{"film_v01.mov", "film_v02.mov", "Film-V3.MOV", "film v4.mov", "film.v05.mov"},
		{"Lifeboat, cut 3.mov", "lifeboat, Cut 4.mov", "Lifeboat cut_12.mov"},
		{"logo-ver2.psd", "logo ver10.psd"},
		{"Größe_v1.wav", "gro\u0308ße_v2.wav"},
	} {
		first, before, ok := naming.Series(group[0])
		assert.True(t, ok, group[0])
		for _, name := range group[1:] {
			stem, number, ok := naming.Series(name)
			assert.True(t, ok, name)
			assert.Equal(t, first, stem, name)
			assert.Greater(t, number, before, name)
			before = number
		}
	}
}

func TestTheFirstOfASeriesMayHaveNoNumber(t *testing.T) {
	for name, want := range map[string]string{
		"film_v03.mov": "film.mov", "Lifeboat, cut 4.mov": "Lifeboat.mov", "logo-ver2": "logo", "harbour_02.jpg": "harbour_02.jpg",
		"film.mov": "film.mov", "v3.mov": "v3.mov", "": "",
	} {
		assert.Equal(t, want, naming.Uncounted(name), name)
	}
}

func TestOtherNamesCountNothing(t *testing.T) {
	for _, name := range []string{"film.mov", "harbour_02.jpg", "v3.mov", "movie3.mov", "overview 2", "cut.mov", "film_v03_final.mov",
		"2026-03-04.mov", ""} {
		_, _, ok := naming.Series(name)
		assert.False(t, ok, name)
	}
	a, _, _ := naming.Series("film_v1.mov")
	b, _, _ := naming.Series("film_v2.wav")
	assert.NotEqual(t, a, b, "another kind of file is no next version")
}

func TestAVersionIsOfTheSameSeriesWhereItsNumberAloneDiffers(t *testing.T) {
	for names, want := range map[[2]string]bool{
		{"film_v01.mov", "film_v02.mov"}: true, {"film.mov", "film_v2.mov"}: true, {"film_v2.mov", "Film.mov"}: true,
		{"film_v1.mov", "film_v2.mp4"}: true, {"film.mov", "film.mov"}: false, {"film.mov", "film final.mov"}: false,
		{"film_v1.mov", "poster_v2.mov"}: false, {"cut.mov", "cut 2.mov"}: false,
	} {
		assert.Equal(t, want, naming.SameSeries(names[0], names[1]), names)
	}
}

func ExampleSeries() {
	stem, number, ok := naming.Series("Lifeboat, cut 4.mov")
	fmt.Println(stem, number, ok)
	// Output: lifeboat cut.mov 4 true
}

func TestFormatsOfOneThingHaveOneStem(t *testing.T) {
	assert.Equal(t, naming.Stem("shot.heic"), naming.Stem("Shot.JPG"))
	assert.Equal(t, naming.Stem("cut.mov"), naming.Stem("cut.mp4"))
	assert.NotEqual(t, naming.Stem("cut 1.mov"), naming.Stem("cut 2.mov"))
}
