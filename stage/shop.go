package stage

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"image/draw"
	"log/slog"
	"sync"
	"time"

	"willowherb/blob"
	"willowherb/core/environment"
	"willowherb/core/grade"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/staging"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/format/cube"
	"willowherb/format/gltf"
	"willowherb/format/ies"
	"willowherb/format/picture"
	"willowherb/store"
)

// ErrPlace means that a setup's place could not be made ready.
var ErrPlace = errors.New("the place cannot be shown")

// Stage is what a document makes of its place, ready to be lit. It never changes.
type Stage struct {
	staging.Stage
	Scene *scene.Scene
	World *world.World
	glow  *glow
}

// Shop makes stages; safe for concurrent use.
type Shop struct {
	blobs        blob.Store
	workers      int
	files        Shelf[*scene.Scene]
	built        Shelf[*built]
	posed        Shelf[*Stage]
	profiles     Shelf[*ies.File]
	slides       Shelf[[]vec.V3]
	environments Shelf[*Environment]
	tables       Shelf[*cube.Table]
	glows        glows
}

// built is a file with its backdrops compiled, everything at rest.
type built struct {
	scene *scene.Scene
	parts []world.Duty
	world *world.World
}

// NewShop returns a shop that reads files from blobs and builds with so many workers.
func NewShop(blobs blob.Store, workers int) *Shop {
	return &Shop{blobs: blobs, workers: workers, files: Shelf[*scene.Scene]{Keep: 3}, built: Shelf[*built]{Keep: 4}, posed: Shelf[*Stage]{Keep: 12},
		profiles: Shelf[*ies.File]{Keep: 64}, slides: Shelf[[]vec.V3]{Keep: 64}, environments: Shelf[*Environment]{Keep: 4}, tables: Shelf[*cube.Table]{Keep: 16}}
}

// Ready makes a stage ready, each part of it once: the file, its geometry, and
// where movers stand and how materials look. Error: ErrPlace, or the context's.
func (s *Shop) Ready(ctx context.Context, st staging.Stage) (*Stage, error) {
	on, err := s.bare(ctx, st)
	if err != nil && ctx.Err() == nil {
		return nil, fmt.Errorf("%w: %w", ErrPlace, err)
	}
	if err != nil || st.Key == st.Bare {
		return on, err
	}
	return s.posed.Get(ctx, st.Key, func(context.Context) (*Stage, error) {
		return &Stage{Stage: st, Scene: on.Scene, World: on.World.WithAir(st.Air()), glow: on.glow}, nil
	})
}

// bare makes a stage ready without its air. Its light is that of all stages that only their
// air tells from it.
func (s *Shop) bare(ctx context.Context, st staging.Stage) (*Stage, error) {
	return s.posed.Get(ctx, st.Bare, func(ctx context.Context) (*Stage, error) {
		g, err := s.built.Get(ctx, st.Geometry, func(ctx context.Context) (*built, error) { return s.build(ctx, st) })
		if err != nil {
			return nil, err
		}
		var on *Stage
		err = spread.Guard(func() (err error) {
			sc, w, err := st.Posed(g.scene, g.parts, g.world, s.workers)
			bare := st
			bare.Key = st.Bare
			on = &Stage{Stage: bare, Scene: sc, World: w, glow: &glow{shelf: &s.glows, pose: st.Pose}}
			return err
		})
		return on, err
	})
}

func (s *Shop) build(ctx context.Context, st staging.Stage) (*built, error) {
	start := time.Now()
	file, err := s.File(ctx, st)
	if err != nil {
		return nil, err
	}
	cards, err := s.cards(ctx, st.Cards())
	if err != nil {
		return nil, err
	}
	g := &built{}
	err = spread.Guard(func() (err error) {
		g.scene, g.parts = st.Build(file, cards)
		g.world, err = world.CompileAs(g.scene, g.parts, s.workers)
		return err
	})
	if err != nil {
		return nil, err
	}
	slog.Info("place ready", "file", st.File, "triangles", g.scene.Triangles(), "took", time.Since(start).Round(time.Millisecond))
	return g, nil
}

// mostCard is how wide or high the picture of a card is kept, in pixels.
const mostCard = 2048

// cards reads the pictures of cards. One that cannot be read is left out.
func (s *Shop) cards(ctx context.Context, blobs []string) (map[string]*scene.Texture, error) {
	out := map[string]*scene.Texture{}
	for _, h := range blobs {
		data, err := blob.Read(ctx, s.blobs, h)
		if store.Away(err) {
			return nil, err
		}
		var im image.Image
		if err == nil {
			im, err = picture.ReadFinished(h, data, mostCard)
		}
		if err != nil {
			slog.Error("the picture of a card cannot be read", "blob", h, "err", err)
			continue
		}
		b := im.Bounds()
		pix := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
		draw.Draw(pix, pix.Bounds(), im, b.Min, draw.Src)
		out[h] = &scene.Texture{Name: h, W: b.Dx(), H: b.Dy(), Pix: pix.Pix, WrapS: scene.Clamp, WrapT: scene.Clamp}
	}
	return out, ctx.Err()
}

// File reads the stage's file once.
func (s *Shop) File(ctx context.Context, st staging.Stage) (*scene.Scene, error) {
	return s.files.Get(ctx, st.Blob, func(ctx context.Context) (*scene.Scene, error) {
		data, err := blob.Read(ctx, s.blobs, st.Blob)
		if err != nil {
			return nil, err
		}
		return gltf.Read(ctx, st.File, data, nil, gltf.DefaultLimits())
	})
}

// Profile reads a kept luminaire file once.
func (s *Shop) Profile(ctx context.Context, hash string) (*ies.File, error) {
	return s.profiles.Get(ctx, hash, func(ctx context.Context) (*ies.File, error) {
		data, err := blob.Read(ctx, s.blobs, hash)
		if err != nil {
			return nil, err
		}
		return ies.Read(hash, data)
	})
}

// Slide reads a kept picture for gobos once.
func (s *Shop) Slide(ctx context.Context, hash string) ([]vec.V3, error) {
	return s.slides.Get(ctx, hash, func(ctx context.Context) ([]vec.V3, error) {
		data, err := blob.Read(ctx, s.blobs, hash)
		if err != nil {
			return nil, err
		}
		return picture.ReadSlide(hash, data, setup.SlideSize)
	})
}

// mostWide is how wide an environment picture is kept: 4096 by 2048 pixels are a twelfth of
// a degree each, and 100 MB.
const mostWide = 4096

// Environment is an environment picture that is kept: its size as it came, its light, and
// what it measures.
type Environment struct {
	W, H    int
	Map     *environment.Map
	Dome    *light.Dome
	Measure environment.Measure
	Cleaned int
	// Layer is which layer of an EXR file it is, and Layers all that there are.
	Layer  string
	Layers []string
	bare   func() *environment.Map
	domes  Shelf[*light.Dome]
}

// Lit is the dome by which it lights, as a setup has it, and Seen the one that is seen behind
// everything, nil for the same; each is worked out once.
func (e *Environment) Lit(ctx context.Context, as *setup.Environment) (*light.Dome, error) {
	if !as.NoSun {
		return e.Dome, nil
	}
	return e.dome(ctx, as.Dome(), e.bare)
}

// Seen is the dome that is seen behind everything: see Lit.
func (e *Environment) Seen(ctx context.Context, as *setup.Environment) (*light.Dome, error) {
	if as.SeenDome() == "" {
		return nil, nil
	}
	return e.dome(ctx, as.SeenDome(), func() *environment.Map {
		m := e.Map
		if as.NoSun {
			m = e.bare()
		}
		return m.Seen(as.Seen.Saturation, as.Seen.Contrast, as.Seen.Blur)
	})
}

func (e *Environment) dome(ctx context.Context, name string, make_ func() *environment.Map) (*light.Dome, error) {
	return e.domes.Get(ctx, name, func(context.Context) (d *light.Dome, err error) {
		err = spread.Guard(func() error {
			m := make_()
			d = light.NewDome(m.W, m.H, m.RGB)
			return nil
		})
		return d, err
	})
}

// ReadEnvironment reads a layer of an environment picture as it is kept; the layer counts for
// EXR files, where empty is the unnamed one, or the first with colours.
func ReadEnvironment(name string, data []byte, layer string) (e *Environment, err error) {
	l, err := picture.ReadLinear(name, data, layer)
	if err != nil {
		return nil, err
	}
	if l.W < 2 || l.H < 2 {
		return nil, fmt.Errorf("%s: is %d by %d pixels: an environment has twice as many columns as rows", name, l.W, l.H)
	}
	err = spread.Guard(func() error {
		m := &environment.Map{W: l.W, H: l.H, RGB: l.RGB}
		e = &Environment{W: l.W, H: l.H, Measure: m.Measure(), Cleaned: l.Cleaned, Layer: l.Layer, Layers: l.Layers, domes: Shelf[*light.Dome]{Keep: 3}}
		for m.W > mostWide {
			m = m.Halved()
		}
		e.Map, e.Dome = m, light.NewDome(m.W, m.H, m.RGB)
		e.bare = sync.OnceValue(func() *environment.Map {
			if e.Measure.Sun == nil {
				return m
			}
			return m.WithoutSun(e.Measure.Sun)
		})
		return nil
	})
	return e, err
}

// Environment reads a layer of a kept environment picture once.
func (s *Shop) Environment(ctx context.Context, hash, layer string) (*Environment, error) {
	return s.environments.Get(ctx, hash+" "+layer, func(ctx context.Context) (*Environment, error) {
		data, err := blob.Read(ctx, s.blobs, hash)
		if err != nil {
			return nil, err
		}
		return ReadEnvironment(hash, data, layer)
	})
}

// Table reads a kept table of colour once, as a cube of at most cube.Side colours a side.
func (s *Shop) Table(ctx context.Context, hash string) (*cube.Table, error) {
	return s.tables.Get(ctx, hash, func(ctx context.Context) (*cube.Table, error) {
		data, err := blob.Read(ctx, s.blobs, hash)
		if err != nil {
			return nil, err
		}
		t, err := cube.Read(hash, bytes.NewReader(data))
		if err != nil {
			return nil, err
		}
		return t.Cubed(), nil
	})
}

// Graded makes a grade ready, with its table. One whose table cannot be read goes without it.
func (s *Shop) Graded(ctx context.Context, g *grade.Grade) *grade.Program {
	p := grade.Compile(g)
	if g == nil || g.Table == nil {
		return p
	}
	t, err := s.Table(ctx, g.Table.Blob)
	if err != nil {
		slog.Error("a table of colour cannot be read", "blob", g.Table.Blob, "err", err)
		return p
	}
	return p.WithTable(t.At)
}

// Lamps works out the lamps of a document on a stage. A light whose file cannot be
// read shines without it.
func (s *Shop) Lamps(ctx context.Context, doc *setup.Setup, on *Stage) ([]*lamps.Lamp, error) {
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		return nil, err
	}
	profiles, slides, _ := doc.Blobs()
	a := &lamps.Assets{Profiles: map[string]*photometry.Profile{}, Slides: map[string][]vec.V3{}, Domes: map[string]*light.Dome{}}
	for _, h := range profiles {
		f, err := s.Profile(ctx, h)
		if store.Away(err) {
			return nil, err // it is not the file that is at fault
		}
		if err != nil {
			slog.Error("a profile cannot be read", "blob", h, "err", err)
			continue
		}
		a.Profiles[h] = f.Profile
	}
	for _, h := range slides {
		v, err := s.Slide(ctx, h)
		if store.Away(err) {
			return nil, err
		}
		if err != nil {
			slog.Error("a slide cannot be read", "blob", h, "err", err)
			continue
		}
		a.Slides[h] = v
	}
	for _, l := range doc.Lights {
		if l.Environment == nil {
			continue
		}
		err := s.domes(ctx, l.Environment, a.Domes)
		if store.Away(err) {
			return nil, err
		}
		if err != nil {
			slog.Error("an environment picture cannot be read", "blob", l.Environment.Blob, "err", err)
		}
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	var lamps []*lamps.Lamp
	err = spread.Guard(func() error {
		lamps = st.Lamps(on.Scene, a)
		return nil
	})
	return lamps, err
}

// domes adds the domes of an environment to those that are there.
func (s *Shop) domes(ctx context.Context, as *setup.Environment, all map[string]*light.Dome) error {
	e, err := s.Environment(ctx, as.Blob, as.Layer)
	if err != nil {
		return err
	}
	if all[as.Dome()], err = e.Lit(ctx, as); err != nil {
		return err
	}
	seen, err := e.Seen(ctx, as)
	if seen != nil {
		all[as.SeenDome()] = seen
	}
	return err
}
