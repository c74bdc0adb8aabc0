package lamps

import (
	"crypto/sha256"
	"fmt"
	"math"

	"willowherb/core/colour"
	"willowherb/core/drawn"
	"willowherb/core/light"
	"willowherb/core/photometry"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Assets are the files that lights refer to, by content hash: profiles of
// luminaires, slides for gobos (SlideSize by SlideSize, rows from the top); and domes of
// environment pictures, by setup.Environment.Dome.
type Assets struct {
	Profiles map[string]*photometry.Profile
	Slides   map[string][]vec.V3
	Domes    map[string]*light.Dome
}

// ShadowDrawn returns a light's settings, whole.
func (l *Lamp) ShadowDrawn(cascades int) drawn.Settings {
	d := setup.StandardDrawn
	if l.Drawn != nil {
		d = *l.Drawn
	}
	if d.Cascades > 0 {
		cascades = d.Cascades
	}
	return drawn.Settings{Size: max(l.ShadowMap, 16), Bias: d.Bias, Normal: d.Normal, Filter: d.Filter, Cascades: cascades, Distance: d.Distance, Contact: d.Contact, Thickness: d.Thickness, Traced: d.Traced, Every: d.Every}
}

// Lamp is a resolved light with geometry, ready for rendering.
type Lamp struct {
	Resolved
	Source *light.Light
	// PerOutput is what one unit of Output, made linear, is in the units of Source;
	// PerUnit the same for each unit that the light may be told in.
	PerOutput float64
	PerUnit   map[setup.Unit]float64
	// Frame takes the light from where the document has it to where it stands, with
	// the node that its rig travels with; nil where they are the same.
	Frame *vec.Mat4
	// Carried tells that who walks a route has it with him: it travels.
	Carried bool
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
		l.PerUnit = perUnit(&r.Light, l.Source)
		l.PerOutput = l.PerUnit[r.OutputUnit()]
		l.Key = r.key(frame)
		out = append(out, l)
	}
	letIn(out)
	return out
}

// letIn tells skies of the openings that rects mark.
func letIn(all []*Lamp) {
	var portals []light.Portal
	for _, l := range all {
		if q := l.Source; l.Kind == setup.Rect && l.Opening {
			portals = append(portals, light.Portal{Centre: q.Pos, N: q.Aim, U: q.U, V: q.V, W: q.W, H: q.H})
			if l.TwoSided {
				portals = append(portals, light.Portal{Centre: q.Pos, N: q.Aim.Neg(), U: q.U, V: q.V, W: q.W, H: q.H})
			}
		}
	}
	for _, l := range all {
		if l.Kind == setup.Sky && len(portals) > 0 {
			l.Source.Portals = portals
			l.Key = sha256.Sum256(fmt.Append(l.Key[:], portals))
		}
	}
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
		r.Position = m.Point(vec.Of(r.Position)).Array()
		if r.Aim != [3]float64{} {
			r.Aim = m.Dir(vec.Of(r.Aim)).Norm().Array()
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

// Emitted is what leaves the light for a lamp of unit output, its gel and its
// groups' shifts included. Its luminance is the share that the gel lets through.
func (r *Resolved) Emitted() colour.RGB {
	c := r.Colour.Linear()
	if r.mired != 0 {
		from, k := 6500.0, r.Colour.Kelvin
		if r.Colour.RGB == nil {
			from = k
		}
		a, b := colour.Temperature(from), colour.Temperature(1e6/max(1e6/from+r.mired, 1e6/colour.MaxKelvin))
		for i := range c {
			c[i] *= b[i] / max(a[i], 1e-3)
		}
		c = colour.Unit(c)
	}
	if g, ok := colour.GelOf(r.Colour.Gel); ok {
		c = g.Through(c)
	}
	return colour.Turned(c, r.hue)
}
