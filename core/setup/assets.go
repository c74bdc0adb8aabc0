package setup

import (
	"maps"
	"slices"

	"willowherb/core/photometry"
	"willowherb/core/vec"
)

// Assets are the files that lights refer to, by content hash: profiles of
// luminaires, and slides for gobos (SlideSize by SlideSize, rows from the top).
type Assets struct {
	Profiles map[string]*photometry.Profile
	Slides   map[string][]vec.V3
}

// SlideSize is how wide and high slides are.
const SlideSize = 256

// Blobs lists the files that a document's lights refer to.
func (s *Setup) Blobs() (profiles, slides []string) {
	p, g := map[string]bool{}, map[string]bool{}
	for _, l := range s.Lights {
		if l.Profile != nil {
			p[l.Profile.Blob] = true
		}
		if l.Gobo != nil && l.Gobo.Blob != "" {
			g[l.Gobo.Blob] = true
		}
	}
	return slices.Sorted(maps.Keys(p)), slices.Sorted(maps.Keys(g))
}
