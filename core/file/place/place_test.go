package place_test

import (
	"testing"

	. "aftergust/core/file/place"

	"github.com/stretchr/testify/assert"
)

func TestPlacesLieInsideEachOtherFromTheClientDown(t *testing.T) {
	for in, want := range map[Kind]Kind{"": Client, Client: Project, Project: Folder, Folder: Folder, "shelf": ""} {
		assert.Equal(t, want, In(in), in)
	}
	for k, holds := range map[Kind]bool{Client: false, Project: true, Folder: true, "shelf": false} {
		assert.Equal(t, holds, All.Get(k).Holds, k)
	}
}
