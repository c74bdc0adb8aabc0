package ask

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"image"
	"math"
	"slices"
	"time"

	"willowherb/core/baking"
	"willowherb/core/contrast"
	"willowherb/core/drawn"
	"willowherb/core/exposure"
	"willowherb/core/film"
	"willowherb/core/lamps"
	"willowherb/core/route"
	"willowherb/core/savings"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/spread"
	"willowherb/core/still"
	"willowherb/core/weigh"
	"willowherb/farm"
	"willowherb/format/picture"
	"willowherb/plan"
	"willowherb/refine"
	"willowherb/room"
	"willowherb/stage"
)

// ErrUnknown means that a sight, frame, view or light is not, or no longer, known.
var ErrUnknown = errors.New("not known here")

// Desk answers questions; safe for concurrent use.
type Desk struct {
	studio *refine.Studio
	// Lights of frames as the target draws them: by frame, light and settings.
	drawn stage.Shelf[*drawnLayer]
	hits  stage.Shelf[*drawn.Hits]
	looks stage.Shelf[[]byte] // small pictures
	// Farm bakes; nil where nothing can be baked.
	Farm         *farm.Farm
	bakes        stage.Shelf[*farm.Opened]
	bakePictures stage.Shelf[*BakePicture]
	guesses      stage.Shelf[*baking.Estimate]
	live         stage.Shelf[[]float32] // lights of frames as the target draws them
	walks        tasks[route.Walked]
	saves        tasks[savings.Result]
	surveys      tasks[route.Level]
	// What the last walk found out of its place, by the stage's key; the walk at work has it.
	walkKnown *route.Known
	walkedOn  string
	walkedAt  time.Time
}

// NewDesk returns a desk for what a studio makes.
func NewDesk(studio *refine.Studio) *Desk {
	return &Desk{studio: studio, drawn: stage.Shelf[*drawnLayer]{Keep: 48}, hits: stage.Shelf[*drawn.Hits]{Keep: 1}, looks: stage.Shelf[[]byte]{Keep: 200},
		bakes: stage.Shelf[*farm.Opened]{Keep: 2}, bakePictures: stage.Shelf[*BakePicture]{Keep: 16}, guesses: stage.Shelf[*baking.Estimate]{Keep: 32}, live: stage.Shelf[[]float32]{Keep: 32}}
}

// looking is the setup as it stands, and what a gaze sees of it.
func (d *Desk) looking(ctx context.Context, p *refine.Pictures, g *room.Gaze) (*refine.Shot, stage.Sight, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, stage.Sight{}, err
	}
	see, ok := g.Sight(s.Doc)
	if !ok || !g.Sound() {
		return nil, see, fmt.Errorf("view %.80q: %w", g.View, ErrUnknown)
	}
	return s, see, nil
}

// Point asks what lights a point of a view.
type Point struct {
	Gaze    room.Gaze `json:"gaze"`
	X       float64   `json:"x"` // 0 to 1 from the left
	Y       float64   `json:"y"` // 0 to 1 from the top
	Careful bool      `json:"careful"`
}

// Weigh answers what lights a point.
func (d *Desk) Weigh(ctx context.Context, p *refine.Pictures, q Point) (a *weigh.Reading, err error) {
	s, see, err := d.looking(ctx, p, &q.Gaze)
	if err != nil {
		return nil, err
	}
	samples := 16
	if q.Careful {
		samples = 96
	}
	pass := see.Pass(s.Stage)
	pass.Neutral = 0
	_, rows := d.studio.Size(see.Camera.Aspect, plan.Full)
	err = spread.Guard(func() (err error) {
		a, err = weigh.Ask(ctx, weigh.Question{World: s.Stage.World, Lamps: s.Lamps, View: see.Camera.Camera(), Aspect: see.Camera.Aspect, Sight: pass, X: q.X, Y: q.Y, Rows: rows, Samples: samples, Workers: d.studio.Workers()})
		return err
	})
	return a, err
}

// Contrast measures how the figure that an object belongs to stands out in the
// finest picture of a sight, as it is exposed at ev.
func (d *Desk) Contrast(ctx context.Context, p *refine.Pictures, sight string, object int, ev float64) (c contrast.Contrast, ok bool, err error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return c, false, err
	}
	if !p.Sees(sight) {
		return c, false, fmt.Errorf("sight: %w", ErrUnknown)
	}
	// The outline at half the size is as good, at a quarter of the work.
	f := p.Frame(sight, s.Lamps, plan.Middle, plan.Full, plan.Coarse, plan.Thumb)
	if f == nil {
		return c, false, nil
	}
	sc := f.Stage.Scene
	if object < 0 || object >= len(sc.Objects) {
		return c, false, fmt.Errorf("object: %w", ErrUnknown)
	}
	if o := &sc.Objects[object]; o.Hi.Sub(o.Lo).Len() > scene.FigureSize {
		return c, false, nil // a wall or a floor is no figure
	}
	name, part := scene.Figure(sc, object)
	inside := make([]bool, len(f.Guide.Tri))
	for i, tri := range f.Guide.Tri {
		inside[i] = tri != math.MaxUint32 && part[sc.Obj[tri]]
	}
	c, ok = contrast.Outline(inside, f.Compose(s.Lamps, nil), f.W, f.H, max(f.H/90, 2), ev, exposure.Curve(s.Doc.Curve))
	c.Figure = name
	return c, ok, nil
}

// Notice says for every view and every light that is on how much an eye would
// notice it gone, measured on the thumbnails' pictures, one at a time.
func (d *Desk) Notice(ctx context.Context, p *refine.Pictures) (map[string]map[string]contrast.Notice, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	curve := exposure.Curve(s.Doc.Curve)
	out := map[string]map[string]contrast.Notice{}
	var without []float32
	for id, v := range s.Doc.Views {
		f := s.View(id, s.Lamps, plan.Thumb)
		if f == nil {
			continue
		}
		all := f.Compose(s.Lamps, nil)
		out[id] = map[string]contrast.Notice{}
		for _, l := range s.Lamps {
			if l.Off {
				continue
			}
			if err := ctx.Err(); err != nil {
				return nil, context.Cause(ctx)
			}
			without = append(without[:0], all...)
			f.Add(without, l, refine.Whole, -1)
			for i := range without {
				without[i] = max(without[i], 0)
			}
			out[id][l.ID] = contrast.Compare(all, without, v.EV, v.EV, curve, curve)
		}
	}
	return out, nil
}

// Thing is an object of the place, by its number in maps.
type Thing struct {
	Name      string     `json:"name"`
	Path      string     `json:"path"`
	Triangles int        `json:"triangles"`
	Lo        [3]float64 `json:"lo"`
	Hi        [3]float64 `json:"hi"`
	Materials []string   `json:"materials"`
}

// Surface is a material of the file, as it came.
type Surface struct {
	Name      string     `json:"name"`
	Colour    [3]float64 `json:"colour"` // linear
	Roughness float64    `json:"roughness"`
	Metal     float64    `json:"metal"`
	Emission  [3]float64 `json:"emission"` // cd/m2
	Textured  bool       `json:"textured"`
	Triangles int        `json:"triangles"`
}

// StageFacts are what the place has to offer.
type StageFacts struct {
	Things     []Thing   `json:"things"`
	Surfaces   []Surface `json:"surfaces"`
	Triangles  int       `json:"triangles"`
	Duration   float64   `json:"duration"` // of the animations, seconds
	Animations []string  `json:"animations"`
	Travelling []string  `json:"travelling"` // cameras that an animation moves, by name
	Warnings   []string  `json:"warnings"`
}

// Facts lists the objects, materials and animations of the place.
func (d *Desk) Facts(ctx context.Context, p *refine.Pictures) (*StageFacts, error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, err
	}
	file, err := d.studio.Shop().File(ctx, s.Stage.Stage)
	if err != nil {
		return nil, err
	}
	sc := s.Stage.Scene
	f := &StageFacts{Things: make([]Thing, len(sc.Objects)), Surfaces: []Surface{}, Triangles: sc.Triangles(), Duration: sc.Duration(), Animations: []string{}, Travelling: still.Travelling(sc), Warnings: append([]string{}, file.Warnings...)}
	for i := range sc.Objects {
		o := &sc.Objects[i]
		t := Thing{Name: o.Name, Path: o.Path, Triangles: o.Count, Lo: o.Lo.Array(), Hi: o.Hi.Array(), Materials: []string{}}
		last := -1
		for k := o.First; k < o.First+o.Count; k++ {
			if m := int(sc.Mat[k]); m != last {
				last = m
				if name := sc.Materials[m].Name; !slices.Contains(t.Materials, name) {
					t.Materials = append(t.Materials, name)
				}
			}
		}
		f.Things[i] = t
	}
	counts := make([]int, len(file.Materials))
	for _, m := range file.Mat {
		counts[m]++
	}
	for i := range file.Materials {
		m := &file.Materials[i]
		if counts[i] == 0 {
			continue
		}
		f.Surfaces = append(f.Surfaces, Surface{m.Name, [3]float64{float64(m.BaseColor[0]), float64(m.BaseColor[1]), float64(m.BaseColor[2])}, float64(m.Roughness), float64(m.Metallic), m.Emissive.Array(),
			m.BaseTex.Texture != scene.None || m.MetalRoughTex.Texture != scene.None, counts[i]})
	}
	for i, a := range file.Animations {
		if a.Name == "" {
			a.Name = fmt.Sprintf("animation %d", i+1)
		}
		f.Animations = append(f.Animations, a.Name)
	}
	return f, nil
}

// levelsFinest are the levels of a picture, the finest first.
var levelsFinest = []int{plan.Full, plan.Middle, plan.Coarse, plan.Thumb}

// Picture is the server's own composite: of the finest frame of a view in which
// every light has a layer. ok is false while there is none.
func (d *Desk) Picture(ctx context.Context, p *refine.Pictures, id string, alone []string) (png []byte, level int, ok bool, err error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, 0, false, err
	}
	f := s.View(id, s.Lamps, levelsFinest...)
	if f == nil {
		return nil, 0, false, nil
	}
	only := map[string]bool{}
	for _, a := range alone {
		only[a] = true
	}
	var b bytes.Buffer
	err = picture.WritePNG(&b, d.studio.Shop().Graded(ctx, s.Doc.GradeOf(id)).WithDepth(f.Depth(s.Doc.Views[id], s.Doc.GradeOf(id))).Develop(f.Compose(s.Lamps, only), f.W, f.H, s.Doc.Views[id].EV, exposure.Curve(s.Doc.Curve)))
	return b.Bytes(), f.Level, true, err
}

// Small is a small picture of a view as it is now, for a snapshot: dark while nothing
// is known of it.
func (d *Desk) Small(ctx context.Context, s *refine.Shot, id string) ([]byte, error) {
	v, ok := s.Doc.Views[id]
	if !ok {
		return nil, fmt.Errorf("view %.80q: %w", id, ErrUnknown)
	}
	img := image.NewNRGBA(image.Rect(0, 0, 2, 2))
	if f := s.View(id, s.Lamps, plan.Thumb, plan.Coarse); f != nil {
		img = d.studio.Shop().Graded(ctx, s.Doc.GradeOf(id)).WithDepth(f.Depth(v, s.Doc.GradeOf(id))).Develop(f.Compose(s.Lamps, nil), f.W, f.H, v.EV, exposure.Curve(s.Doc.Curve))
	}
	var b bytes.Buffer
	err := picture.WritePNG(&b, img)
	return b.Bytes(), err
}

// Compare measures how the picture of a sight differs between two states; nil is
// the present one. Each is exposed as its own document exposes the view. ok is
// false while a layer is missing.
func (d *Desk) Compare(ctx context.Context, p *refine.Pictures, sight, view string, a, b *setup.Setup) (n contrast.Notice, ok bool, err error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return n, false, err
	}
	if !p.Sees(sight) {
		return n, false, fmt.Errorf("sight: %w", ErrUnknown)
	}
	type side struct {
		lamps []*lamps.Lamp
		ev    float64
		known bool
		curve exposure.Curve
	}
	var sides [2]side
	var both []*lamps.Lamp
	for i, doc := range []*setup.Setup{a, b} {
		lamps := s.Lamps
		if doc == nil {
			doc = s.Doc
		} else {
			doc = shown(doc)
			if lamps, err = s.Lay(ctx, doc); err != nil {
				return n, false, err
			}
		}
		v, ok := doc.Views[view]
		sides[i] = side{lamps, v.EV, ok, exposure.Curve(doc.Curve)}
		both = append(both, lamps...)
	}
	f := p.Frame(sight, both, plan.Middle, plan.Full, plan.Coarse)
	if f == nil {
		return n, false, nil
	}
	for i := range sides {
		if !sides[i].known {
			sides[i].ev = f.EV
		}
	}
	return contrast.Compare(f.Compose(sides[0].lamps, nil), f.Compose(sides[1].lamps, nil), sides[0].ev, sides[1].ev, sides[0].curve, sides[1].curve), true, nil
}

// shown is a document as it is shown.
func shown(doc *setup.Setup) *setup.Setup { return lamps.Shown(doc) }

// drawnLayer is a light's direct light in a frame as the target draws it, packed.
type drawnLayer struct {
	words []uint32
	scale float32
}

// drawnSamples is how many places of a pixel the run-time picture looks at.
const drawnSamples = 2

// Runtime returns a light's direct light, for unit output, in a frame as the target
// would draw it; nil while the frame is not known.
func (d *Desk) Runtime(ctx context.Context, p *refine.Pictures, frame, id string) (words []uint32, scale float64, err error) {
	s, err := p.Shot(ctx)
	if err != nil {
		return nil, 0, err
	}
	f, all := p.ByKey(frame)
	if f == nil {
		return nil, 0, nil
	}
	i := slices.IndexFunc(all, func(l *lamps.Lamp) bool { return l.ID == id })
	if i < 0 || all[i].Shines() {
		return nil, 0, fmt.Errorf("light %.80q: %w", id, ErrUnknown)
	}
	lamp := all[i]
	pic := &drawn.Picture{World: f.Stage.World, View: f.Cam, W: f.W, H: f.H, Sight: f.See, Samples: drawnSamples, Workers: d.studio.Workers(), Light: lamp.Source, Set: lamp.ShadowDrawn(s.Doc.Device().How.Cascades)}
	y, err := d.drawn.Get(ctx, fmt.Sprintf("%s %x %+v", f.Key, lamp.Key, pic.Set), func(ctx context.Context) (y *drawnLayer, err error) {
		err = spread.Guard(func() (err error) {
			if pic.Hits, err = d.hits.Get(ctx, f.Key, pic.Find); err != nil {
				return err
			}
			rgb, err := pic.Render(ctx)
			if err != nil {
				return err
			}
			y = &drawnLayer{}
			y.words, y.scale = film.Pack(rgb)
			return nil
		})
		return y, err
	})
	if err != nil {
		return nil, 0, err
	}
	return y.words, float64(y.scale), nil
}
