package bench

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"image"
	"math"
	"slices"

	"willowherb/core/colour"
	"willowherb/core/exposure"
	"willowherb/core/render"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/weigh"
	"willowherb/format/picture"
)

// Thumb returns a view's thumbnail as PNG, or nil.
func (s *Session) Thumb(id string) []byte {
	s.mu.Lock()
	defer s.mu.Unlock()
	if v := s.views[id]; v != nil {
		return v.thumb
	}
	return nil
}

// frameOf finds a frame by its key. Call with mu held.
func (s *Session) frameOf(key string) (*sight, *frame) {
	for _, t := range s.sights {
		for _, f := range t.frames() {
			if f.key == key {
				return t, f
			}
		}
	}
	return nil, nil
}

// Layer returns a part of a layer version, packed, or nil when it is no longer
// the current one.
func (s *Session) Layer(frameKey, layerKey string, version, part int) []uint32 {
	s.mu.Lock()
	defer s.mu.Unlock()
	_, f := s.frameOf(frameKey)
	if f == nil || part < 0 || part >= parts {
		return nil
	}
	for k, y := range f.layers {
		if keyName(k) == layerKey && y.version == version {
			return y.parts[part]
		}
	}
	return nil
}

// Map returns what lies under each pixel of a frame: its object's number
// (2^32-1 for none) and its distance from the eye in metres as float32, two words
// a pixel; nil while it is not known.
func (s *Session) Map(frameKey string) []uint32 {
	s.mu.Lock()
	defer s.mu.Unlock()
	t, f := s.frameOf(frameKey)
	if f == nil || f.message(t) == nil {
		return nil
	}
	g := f.guide
	out := make([]uint32, 2*len(g.Tri))
	for i, tri := range g.Tri {
		out[2*i] = math.MaxUint32
		if tri != math.MaxUint32 {
			out[2*i] = t.stage.scene.Obj[tri]
			out[2*i+1] = math.Float32bits(g.Pos[i].Sub(f.cam.Eye).Len())
		}
	}
	return out
}

// Maps of a frame besides Map: pictures of what is seen other than its light.
const (
	Albedo   = "albedo"   // colours of the surfaces, RGB9_E5
	Normals  = "normals"  // x, y and z as red, green and blue round a half, RGB9_E5
	Edges    = "edges"    // triangle edges over the surfaces' brightness, RGB9_E5
	Reaching = "reach"    // how a light reaches each place: codes, one byte a pixel
	Crowding = "crowding" // how many split and live lights reach each place: one byte a pixel
)

// Drawn returns one of a frame's maps as bytes, with the scale of packed ones;
// nil while the frame is not known. light is the lamp that reach asks for.
func (s *Session) Drawn(frameKey, what, light string) (data []byte, scale float32) {
	s.mu.Lock()
	t, f := s.frameOf(frameKey)
	if f == nil || f.message(t) == nil {
		s.mu.Unlock()
		return nil, 0
	}
	g, world, lamps := f.guide, t.stage.world, s.lamps
	for w := range s.windows {
		if see, ok := s.see(w); ok && w.drafted != nil && see.key(s.stageOf(w).Key) == t.key {
			lamps = w.drafted
		}
	}
	s.mu.Unlock()
	n := len(g.Tri)
	pic := make([]float32, 3*n)
	switch what {
	case Crowding:
		return weigh.Crowding(lamps, g), 1
	case Reaching:
		for _, l := range lamps {
			if l.ID == light {
				return weigh.Reach(world, l.Source, g, f.cam), 1
			}
		}
		return nil, 0
	case Albedo, Normals:
		for i, tri := range g.Tri {
			if tri == math.MaxUint32 {
				continue
			}
			p := world.S.PointAtPos(tri, g.Pos[i])
			m := &world.S.Materials[world.S.Mat[tri]]
			var c [3]float32
			if what == Normals {
				q := world.S.ShadingNormal(m, &p)
				if q.Dot(g.Pos[i].Sub(f.cam.Eye)) > 0 {
					q = q.Neg()
				}
				c = [3]float32{0.5 + 0.5*q.X, 0.5 + 0.5*q.Y, 0.5 + 0.5*q.Z}
				for k := range c { // shown through the screen's own curve, as numbers
					c[k] = float32(colour.DecodeSRGB(float64(c[k])))
				}
			} else {
				b := world.S.Texel(&m.BaseTex, &p, true)
				for k := range c {
					c[k] = b[k] * m.BaseColor[k]
				}
			}
			copy(pic[3*i:], c[:])
		}
	case Edges:
		e := world.MapEdges(f.cam, f.see, f.w, f.h)
		for i, tri := range g.Tri {
			b := float32(0)
			if tri != math.MaxUint32 {
				_, n := world.S.Area(tri)
				b = 0.06 + 0.16*float32(math.Abs(float64(n.Dot(g.Pos[i].Sub(f.cam.Eye).Norm()))))
			}
			v := b + e[i]*(0.75-b)
			pic[3*i], pic[3*i+1], pic[3*i+2] = v, v, v
		}
	default:
		return nil, 0
	}
	packed, scale := render.Pack(pic)
	return words(packed), scale
}

// Point asks what lights a point of a view.
type Point struct {
	Gaze    Gaze    `json:"gaze"`
	X       float64 `json:"x"` // 0 to 1 from the left
	Y       float64 `json:"y"` // 0 to 1 from the top
	Careful bool    `json:"careful"`
}

// Weigh answers what lights a point.
func (s *Session) Weigh(ctx context.Context, q Point) (*weigh.Reading, error) {
	s.mu.Lock()
	see, ok := s.see(&Window{View: q.Gaze.View, gaze: q.Gaze})
	lamps, place := s.lamps, s.stage.place
	s.mu.Unlock()
	if !ok || q.Gaze.Camera != nil && q.Gaze.Camera.Check() != nil {
		return nil, fmt.Errorf("view %q: %w", q.Gaze.View, ErrUnknown)
	}
	samples := 16
	if q.Careful {
		samples = 96
	}
	pass := see.pass(place)
	pass.Neutral = 0
	_, rows := s.bench.size(see.Camera.Aspect, full)
	return weigh.Ask(ctx, weigh.Question{World: place.world, Lamps: lamps, View: see.Camera.Camera(), Aspect: see.Camera.Aspect, Sight: pass, X: q.X, Y: q.Y, Rows: rows, Samples: samples, Workers: s.bench.opt.Workers})
}

// Contrast measures how the figure that an object belongs to stands out in the
// finest picture of a sight, as it is exposed at ev.
func (s *Session) Contrast(sightKey string, object int, ev float64) (c weigh.Contrast, ok bool, err error) {
	s.mu.Lock()
	t := s.sights[sightKey]
	if t == nil || object < 0 || object >= len(t.stage.scene.Objects) {
		s.mu.Unlock()
		return c, false, fmt.Errorf("sight or object: %w", ErrUnknown)
	}
	f := s.best(t)
	if f == nil {
		s.mu.Unlock()
		return c, false, nil
	}
	if m := t.levels[middle]; m != nil && complete(m, s.lamps) {
		f = m // its outline is as good, at a quarter of the work
	}
	pic := compose(f, s.lamps, nil)
	curve := exposure.Curve(s.doc.Curve)
	s.mu.Unlock()
	sc := t.stage.scene
	if o := &sc.Objects[object]; o.Hi.Sub(o.Lo).Len() > scene.FigureSize {
		return c, false, nil // a wall or a floor is no figure
	}
	name, part := scene.Figure(sc, object)
	inside := make([]bool, len(f.guide.Tri))
	for i, tri := range f.guide.Tri {
		inside[i] = tri != math.MaxUint32 && part[sc.Obj[tri]]
	}
	c, ok = weigh.Outline(inside, pic, f.w, f.h, max(f.h/90, 2), ev, curve)
	c.Figure = name
	return c, ok, nil
}

// Notice says for every view and every light that is on how much an eye would
// notice it gone, measured on the thumbnails' pictures.
func (s *Session) Notice() map[string]map[string]weigh.Notice {
	s.mu.Lock()
	lamps, curve := s.lamps, exposure.Curve(s.doc.Curve)
	type at struct {
		id  string
		f   *frame
		ev  float64
		all []float32
		by  map[string][]float32
	}
	var list []at
	for id, v := range s.doc.Views {
		t := s.sights[s.keyOf(id)]
		if t == nil || t.levels[thumb] == nil || !complete(t.levels[thumb], lamps) {
			continue
		}
		f := t.levels[thumb]
		a := at{id, f, v.EV, compose(f, lamps, nil), map[string][]float32{}}
		for _, l := range lamps {
			if !l.Off {
				a.by[l.ID] = compose(f, []*setup.Lamp{l}, nil)
			}
		}
		list = append(list, a)
	}
	s.mu.Unlock()
	out := map[string]map[string]weigh.Notice{}
	for _, a := range list {
		out[a.id] = map[string]weigh.Notice{}
		for id, own := range a.by {
			for i := range own {
				own[i] = max(a.all[i]-own[i], 0)
			}
			out[a.id][id] = weigh.Compare(a.all, own, a.ev, a.ev, curve, curve)
		}
	}
	return out
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
	Warnings   []string  `json:"warnings"`
}

// FileScene is the place's file as it was read, without what the setup makes of it.
func (s *Session) FileScene(ctx context.Context) (*scene.Scene, error) {
	s.mu.Lock()
	st := s.stage.Stage
	s.mu.Unlock()
	f, err := s.bench.file(ctx, st)
	if err != nil {
		return nil, fmt.Errorf("%w: %w", ErrPlace, err)
	}
	return f, nil
}

// Facts lists the objects, materials and animations of the place.
func (s *Session) Facts(ctx context.Context) (*StageFacts, error) {
	file, err := s.FileScene(ctx)
	if err != nil {
		return nil, err
	}
	s.mu.Lock()
	sc := s.stage.scene
	s.mu.Unlock()
	f := &StageFacts{Things: make([]Thing, len(sc.Objects)), Surfaces: []Surface{}, Triangles: sc.Triangles(), Duration: sc.Duration(), Animations: []string{}, Warnings: append([]string{}, file.Warnings...)}
	for i := range sc.Objects {
		o := &sc.Objects[i]
		t := Thing{Name: o.Name, Path: o.Path, Triangles: o.Count, Lo: a3(o.Lo), Hi: a3(o.Hi), Materials: []string{}}
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
		f.Surfaces = append(f.Surfaces, Surface{m.Name, [3]float64{float64(m.BaseColor[0]), float64(m.BaseColor[1]), float64(m.BaseColor[2])}, float64(m.Roughness), float64(m.Metallic), a3(m.Emissive),
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

func a3(v vec.V3) [3]float64 { return [3]float64{float64(v.X), float64(v.Y), float64(v.Z)} }

// words turns floats or words into little-endian bytes.
func words[T uint32 | float32](in []T) []byte {
	b := &bytes.Buffer{}
	_ = binary.Write(b, binary.LittleEndian, in)
	return b.Bytes()
}

// Picture is the server's own composite: of the finest frame of a view in which
// every light has a layer. ok is false while there is none.
func (s *Session) Picture(id string, alone []string) (png []byte, level int, ok bool, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	doc, there := s.doc.Views[id]
	t := s.sights[s.keyOf(id)]
	if !there || t == nil {
		return nil, 0, false, nil
	}
	only := map[string]bool{}
	for _, a := range alone {
		only[a] = true
	}
	f := s.best(t)
	if f == nil {
		return nil, 0, false, nil
	}
	var b bytes.Buffer
	err = picture.WritePNG(&b, exposure.Develop(compose(f, s.lamps, only), f.w, f.h, doc.EV, exposure.Curve(s.doc.Curve)))
	return b.Bytes(), f.level, true, err
}

// Small is a small picture of a view as it is now, for a snapshot; its thumbnail
// where there is one.
func (s *Session) Small(id string) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	v, ok := s.doc.Views[id]
	if !ok {
		return nil, fmt.Errorf("view %q: %w", id, ErrUnknown)
	}
	t := s.sights[s.keyOf(id)]
	var img *image.NRGBA
	for _, l := range []int{thumb, coarse} {
		if t != nil && t.levels[l] != nil && complete(t.levels[l], s.lamps) {
			f := t.levels[l]
			img = exposure.Develop(compose(f, s.lamps, nil), f.w, f.h, v.EV, exposure.Curve(s.doc.Curve))
			break
		}
	}
	if img == nil {
		img = image.NewNRGBA(image.Rect(0, 0, 2, 2)) // nothing is known yet: dark
	}
	var b bytes.Buffer
	err := picture.WritePNG(&b, img)
	return b.Bytes(), err
}

// Compare measures how the picture of a sight differs between two states; nil is
// the present one. Each is exposed as its own document exposes the view. ok is
// false while a layer is missing.
func (s *Session) Compare(sightKey, view string, a, b *setup.Setup) (n weigh.Notice, ok bool, err error) {
	s.mu.Lock()
	t := s.sights[sightKey]
	if t == nil {
		s.mu.Unlock()
		return n, false, fmt.Errorf("sight: %w", ErrUnknown)
	}
	type side struct {
		lamps []*setup.Lamp
		ev    float64
		curve exposure.Curve
	}
	var sides [2]side
	for i, d := range []*setup.Setup{a, b} {
		if d == nil {
			d = s.doc
		}
		lamps, err := s.bench.resolve(d, t.stage)
		if err != nil {
			s.mu.Unlock()
			return n, false, err
		}
		ev := t.ev
		if v, ok := d.Views[view]; ok {
			ev = v.EV
		}
		sides[i] = side{lamps, ev, exposure.Curve(d.Curve)}
	}
	for _, l := range []int{middle, full, coarse} {
		f := t.levels[l]
		if f == nil || !complete(f, sides[0].lamps) || !complete(f, sides[1].lamps) {
			continue
		}
		x, y := compose(f, sides[0].lamps, nil), compose(f, sides[1].lamps, nil)
		s.mu.Unlock()
		return weigh.Compare(x, y, sides[0].ev, sides[1].ev, sides[0].curve, sides[1].curve), true, nil
	}
	s.mu.Unlock()
	return n, false, nil
}

// best is the finest frame of a sight in which every light has a layer, or nil.
func (s *Session) best(t *sight) *frame {
	for _, l := range []int{full, middle, coarse, thumb} {
		if f := t.levels[l]; f != nil && complete(f, s.lamps) {
			return f
		}
	}
	return nil
}
