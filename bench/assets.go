package bench

import (
	"context"
	"log/slog"

	"willowherb/core/photometry"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/format/ies"
	"willowherb/format/picture"
)

// assets reads the files that a document's lights refer to, each once. A file
// that cannot be read is left out: its light shines without it.
func (b *Bench) assets(ctx context.Context, doc *setup.Setup) *setup.Assets {
	profiles, slides := doc.Blobs()
	a := &setup.Assets{Profiles: map[string]*photometry.Profile{}, Slides: map[string][]vec.V3{}}
	for _, h := range profiles {
		if f, err := b.Profile(ctx, h); err == nil {
			a.Profiles[h] = f.Profile
		} else {
			slog.Error("a profile cannot be read", "blob", h, "err", err)
		}
	}
	for _, h := range slides {
		s, err := b.slides.get(h, 64, func() ([]vec.V3, error) {
			data, err := b.store.Blob(ctx, h)
			if err != nil {
				return nil, err
			}
			return picture.ReadSlide(h, data, setup.SlideSize)
		})
		if err == nil {
			a.Slides[h] = s
		} else {
			slog.Error("a slide cannot be read", "blob", h, "err", err)
		}
	}
	return a
}

// Profile reads a kept luminaire file once.
func (b *Bench) Profile(ctx context.Context, hash string) (*ies.File, error) {
	return b.profiles.get(hash, 64, func() (*ies.File, error) {
		data, err := b.store.Blob(ctx, hash)
		if err != nil {
			return nil, err
		}
		return ies.Read(hash, data)
	})
}

// resolve works out the lamps of a document on a stage.
func (b *Bench) resolve(doc *setup.Setup, on *stage) ([]*setup.Lamp, error) {
	st, err := setup.Resolve(doc, "")
	if err != nil {
		return nil, err
	}
	return st.Lamps(on.scene, b.assets(context.Background(), doc)), nil
}
