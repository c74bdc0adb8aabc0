package setup

import (
	"cmp"
	"crypto/sha256"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"math"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// State is a document resolved for one look: what rendering, budget and checks
// take. Lights are in the Ledger's order.
type State struct {
	Setup  *Setup
	Lights []Resolved
	// Orphans are overrides whose target is gone: kept, and told.
	Orphans []string
}

// Resolved is a light with its group's trim.
type Resolved struct {
	ID string
	Light
	level float64 // output with stops and trim, linear, in its unit
	// Of its groups.
	hue, mired float64
}

// Resolve applies a look ("" for none) and the groups to the document. It is the
// only code that interprets overrides.
func Resolve(s *Setup, look string) (*State, error) {
	st := &State{Setup: s}
	if look != "" {
		l, ok := s.Looks[look]
		if !ok {
			return nil, fmt.Errorf("look %q is not in the setup", look)
		}
		for _, p := range sorted(l.Overrides) {
			next, err := l.Overrides[p].apply(st.Setup, p, s.twins(p))
			if err != nil {
				st.Orphans = append(st.Orphans, p)
				continue
			}
			st.Setup = next
		}
	}
	for _, id := range sorted(st.Setup.Lights) {
		l := st.Setup.Lights[id]
		if l.Gobo != nil && l.Gobo.Speed != 0 {
			g := *l.Gobo
			g.Turn, g.Speed = math.Mod(g.Turn+g.Speed*st.Setup.Time, 360), 0
			l.Gobo = &g
		}
		if l.Profile != nil && !l.Profile.Scaled {
			l.Output, l.Unit = l.Profile.Flux, Lumen
		}
		r := Resolved{ID: id, Light: l, level: l.Output * math.Exp2(l.Stops)}
		for g, ok := st.Setup.Groups[l.Group]; ok; g, ok = st.Setup.Groups[g.Parent] {
			r.level *= math.Exp2(g.Trim)
			r.Off = r.Off || g.Off
			r.hue += g.Hue
			r.mired += g.Mired
		}
		st.Lights = append(st.Lights, r)
	}
	slices.SortStableFunc(st.Lights, func(a, b Resolved) int {
		ga, gb := st.Setup.Groups[a.Group], st.Setup.Groups[b.Group]
		return cmp.Or(cmp.Compare(ga.Order, gb.Order), strings.Compare(a.Group, b.Group), cmp.Compare(a.Order, b.Order), strings.Compare(a.ID, b.ID))
	})
	return st, nil
}

// apply changes the value at pointer, and that at its twins with it.
func (o Override) apply(doc *Setup, pointer string, twins []string) (*Setup, error) {
	now, found, err := doc.Get(pointer)
	if err != nil || !found {
		return nil, ErrPlace
	}
	value := o.Set
	if len(value) == 0 {
		var v float64
		if err := json.Unmarshal(now, &v); err != nil {
			return nil, fmt.Errorf("%s is no number", pointer)
		}
		switch {
		case o.Stops != nil:
			v += *o.Stops
		case o.Times != nil:
			v *= *o.Times
		case o.Mired != nil && v > 0:
			v = 1e6 / max(1e6/v+*o.Mired, 1e6/colour.MaxKelvin)
		}
		if value, err = json.Marshal(v); err != nil {
			return nil, err
		}
	}
	ops := []Op{{"add", pointer, value}}
	for _, t := range twins {
		ops = append(ops, Op{"add", t, value})
	}
	c, err := doc.Apply(ops)
	if err != nil {
		return nil, err
	}
	return c.After, nil
}

// twins are the places of a light's value in the lights that it is linked with,
// where linked lights share that value.
func (s *Setup) twins(pointer string) (out []string) {
	part := strings.SplitN(pointer, "/", 4)
	if len(part) < 4 || part[1] != "lights" || s.Lights[part[2]].Link == "" {
		return nil
	}
	switch field, _, _ := strings.Cut(part[3], "/"); field {
	case "name", "group", "order", "off", "locked", "position", "aim", "roll":
		return nil
	}
	for _, id := range sorted(s.Lights) {
		if id != part[2] && s.Lights[id].Link == s.Lights[part[2]].Link {
			out = append(out, "/lights/"+id+"/"+part[3])
		}
	}
	return out
}

// Lamp is a resolved light with geometry, ready for rendering.
type Lamp struct {
	Resolved
	Source *light.Light
	// PerOutput is what one unit of Output, made linear, is in the units of Source;
	// PerUnit the same for each unit that the light may be told in.
	PerOutput float64
	PerUnit   map[Unit]float64
	// Frame takes the light from where the document has it to where it stands, with
	// the node that its rig travels with; nil where they are the same.
	Frame *vec.Mat4
	// Key names everything the light's layers depend on besides the view.
	Key [32]byte
}

// Gain returns what the lamp's unit layers are multiplied by.
func (l *Lamp) Gain() vec.V3 {
	if l.Off {
		return vec.V3{}
	}
	return l.Full()
}

// Full is Gain as if the light were on.
func (l *Lamp) Full() vec.V3 {
	c := l.Emitted()
	k := l.level * l.PerOutput
	return vec.New(c[0]*k, c[1]*k, c[2]*k)
}

// Shines tells the lights that the camera sees shine.
func (l *Lamp) Shines() bool { return l.Source.Shows() }

// Lamps compiles the lights of a state for a scene. A light that the scene has
// no geometry for (an emissive material that is gone) is kept and gives nothing;
// one whose file is not among the assets (nil has none) shines without it.
func (st *State) Lamps(s *scene.Scene, assets *Assets) []*Lamp {
	if assets == nil {
		assets = &Assets{}
	}
	out := make([]*Lamp, 0, len(st.Lights))
	for _, r := range st.Lights {
		frame := st.travel(&r, s)
		l := &Lamp{Resolved: r.moved(frame), Frame: frame, Source: r.source(s, assets, frame)}
		l.tilted(assets)
		l.PerUnit = r.perUnit(l.Source)
		l.PerOutput = l.PerUnit[r.OutputUnit()]
		l.Key = r.key(frame)
		out = append(out, l)
	}
	return out
}

// travel is what takes a light along with the node that its rig hangs from; nil where
// nothing does.
func (st *State) travel(r *Resolved, s *scene.Scene) *vec.Mat4 {
	for g, ok := st.Setup.Groups[r.Group]; ok; g, ok = st.Setup.Groups[g.Parent] {
		if g.Rig != nil && g.Rig.Object != "" {
			return s.MovedAt(g.Rig.Object)
		}
	}
	return nil
}

// moved is the light where m takes it.
func (r Resolved) moved(m *vec.Mat4) Resolved {
	if m != nil {
		r.Position = a3(m.Point(v3(r.Position)))
		if length(r.Aim) > 0 {
			r.Aim = a3(m.Dir(v3(r.Aim)).Norm())
		}
	}
	return r
}

// tilted allows for what a luminaire's lamp gives less, or more, as it is tilted, where
// its output is as measured.
func (l *Lamp) tilted(assets *Assets) {
	p := l.Profile
	if p == nil || p.Scaled || l.Source.Kind == light.Tube {
		return
	}
	if data := assets.Profiles[p.Blob]; data != nil {
		l.level *= data.AtTilt(math.Acos(min(max(-float64(l.Source.Aim.Y), -1), 1)) * 180 / math.Pi)
	}
}

func v3(a [3]float64) vec.V3 { return vec.New(a[0], a[1], a[2]) }

// source makes the light of a resolved one, taken along by frame with its axes.
func (r *Resolved) source(s *scene.Scene, assets *Assets, frame *vec.Mat4) *light.Light {
	h := fnv.New64a()
	h.Write([]byte(r.ID))
	l := &light.Light{ID: h.Sum64(), Pos: v3(r.Position), Aim: v3(r.Aim).Norm(), Radius: float32(r.Radius),
		W: float32(r.Width), H: float32(r.Height), Range: float32(r.Range), Shadow: r.Shadow, Channels: r.Channels,
		Length: float32(r.Length), TwoSided: r.TwoSided, NoDiffuse: float32(r.NoDiffuse), NoSpecular: float32(r.NoSpecular)}
	if l.Aim == (vec.V3{}) {
		l.Aim = vec.V3{Y: -1}
	}
	l.U, l.V = axes(l.Aim, r.Roll)
	if frame != nil {
		l.Pos = frame.Point(l.Pos)
		l.Aim, l.U, l.V = frame.Dir(l.Aim).Norm(), frame.Dir(l.U).Norm(), frame.Dir(l.V).Norm()
	}
	switch r.Kind {
	case Sun:
		l.Kind = light.Sun
		l.SetSunAngle(r.Angle)
	case Point:
		if l.Kind = light.Point; r.Length > 0 {
			l.Kind = light.Tube
		}
	case Line:
		l.Kind = light.Tube
	case Spot:
		l.Kind = light.Spot
		l.SetCone(r.Inner*math.Pi/180, r.Outer*math.Pi/180)
	case Rect:
		l.Kind = light.Rect
	case Disc:
		l.Kind = light.Disc
	case Sky:
		l.Kind = light.Sky
		l.Shadow = true
		l.Gradient = light.Uniform
		if g := r.Gradient; g != nil {
			l.Gradient = light.Gradient{Zenith: v3(g.Zenith), Horizon: v3(g.Horizon), Ground: v3(g.Ground), Falloff: float32(max(g.Falloff, 0.05))}
		}
	case Emissive:
		l.Kind = light.Emissive
		l.Shadow = true
		var tris []uint32
		for t, m := range s.Mat {
			if s.Materials[m].Name == r.Material && s.Materials[m].Emits() && (s.Absent == nil || !s.Absent[s.Obj[t]]) {
				tris = append(tris, uint32(t))
			}
		}
		l.SetTriangles(s, tris)
	}
	l.Prepare()
	r.shape(l, assets)
	return l
}

// shape puts before the source what shapes its beam.
func (r *Resolved) shape(l *light.Light, assets *Assets) {
	l.SetGrid(r.Grid * math.Pi / 180)
	if p := r.Profile; p != nil && l.Kind != light.Tube {
		if data := assets.Profiles[p.Blob]; data != nil {
			l.SetProfile(data, p.Turn*math.Pi/180)
		}
	}
	if g := r.Gobo; g != nil {
		slide := assets.Slides[g.Blob]
		if g.Blob == "" {
			slide = light.Pattern(g.Pattern, SlideSize)
		}
		l.SetGobo(slide, SlideSize, r.Outer*math.Pi/180, g.Scale, g.Blur, g.Turn*math.Pi/180)
	}
	if d := r.Doors; d != nil {
		l.SetDoors([4]float64{d.Top * math.Pi / 180, d.Bottom * math.Pi / 180, d.Left * math.Pi / 180, d.Right * math.Pi / 180}, d.Length)
	}
}

// axes are a rect's width and height directions: upright, then rolled.
func axes(aim vec.V3, rollDeg float64) (u, v vec.V3) {
	up := vec.V3{Y: 1}
	if math.Abs(float64(aim.Y)) > 0.999 {
		up = vec.V3{Z: -1}
	}
	u = aim.Cross(up).Norm()
	v = u.Cross(aim)
	s, c := math.Sincos(rollDeg * math.Pi / 180)
	return u.Scale(float32(c)).Add(v.Scale(float32(s))), v.Scale(float32(c)).Sub(u.Scale(float32(s)))
}

// key hashes what the light's layers depend on: never its name, colour, output
// or stops.
func (r *Resolved) key(frame *vec.Mat4) [32]byte {
	k := r.Light
	k.Name, k.Group, k.Order, k.Role, k.Output, k.Stops, k.Colour, k.Off, k.Carry, k.ShadowMap, k.Locked = "", "", 0, "", 0, 0, Colour{}, false, "", 0, false
	k.Unit, k.UnitAt, k.Link, k.Drawn = "", 0, "", nil
	if k.Profile != nil {
		k.Profile = &Profile{Blob: k.Profile.Blob, Turn: k.Profile.Turn}
	}
	if k.Gobo != nil {
		g := *k.Gobo
		g.File = ""
		k.Gobo = &g
	}
	b, err := json.Marshal(struct {
		Algorithm int
		ID        string // names its random numbers
		Light
		Frame *vec.Mat4
	}{layerAlgorithm, r.ID, k, frame})
	if err != nil {
		panic(err)
	}
	return sha256.Sum256(b)
}

// layerAlgorithm changes whenever the same inputs would give another layer.
const layerAlgorithm = 6

// Camera returns the view's camera.
func (v *View) Camera() world.Camera {
	aim := v3(v.Aim).Norm()
	_, up := axes(aim, v.Roll)
	return world.Camera{Eye: v3(v.Eye), Aim: aim, Up: up, FovY: v.FovY * math.Pi / 180}
}

// Key hashes what a view's picture depends on besides lights: place, camera, size.
func (v *View) Key(place string, w, h int) [32]byte {
	hash := sha256.New()
	hash.Write([]byte(place))
	for _, f := range []float64{v.Eye[0], v.Eye[1], v.Eye[2], v.Aim[0], v.Aim[1], v.Aim[2], v.Roll, v.FovY, float64(w), float64(h)} {
		_ = binary.Write(hash, binary.LittleEndian, f)
	}
	return [32]byte(hash.Sum(nil))
}

// SortedViews returns the ids of the views in their order.
func (s *Setup) SortedViews() []string {
	ids := sorted(s.Views)
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(s.Views[a].Order, s.Views[b].Order) })
	return ids
}
