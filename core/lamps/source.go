package lamps

import (
	"crypto/sha256"
	"encoding/json"
	"hash/fnv"
	"math"

	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// source makes the light of a resolved one, taken along by frame with its axes.
func (r *Resolved) source(s *scene.Scene, assets *Assets, frame *vec.Mat4) *light.Light {
	h := fnv.New64a()
	h.Write([]byte(r.ID))
	l := &light.Light{ID: h.Sum64(), Pos: vec.Of(r.Position), Aim: vec.Of(r.Aim).Norm(), Radius: float32(r.Radius),
		W: float32(r.Width), H: float32(r.Height), Range: float32(r.Range), Shadow: r.Shadow, Channels: r.Channels,
		Length: float32(r.Length), TwoSided: r.TwoSided, NoDiffuse: float32(r.NoDiffuse), NoSpecular: float32(r.NoSpecular), NoAir: r.NoAir,
		More: float32(math.Exp2(r.Behind) - 1), Mirrored: float32(math.Exp2(r.Mirrored) - 1)}
	if l.Aim == (vec.V3{}) {
		l.Aim = vec.V3{Y: -1}
	}
	l.U, l.V = vec.Upright(l.Aim, r.Roll)
	if frame != nil {
		l.Pos = frame.Point(l.Pos)
		l.Aim, l.U, l.V = frame.Dir(l.Aim).Norm(), frame.Dir(l.U).Norm(), frame.Dir(l.V).Norm()
	}
	switch r.Kind {
	case setup.Sun:
		l.Kind = light.Sun
		l.SetSunAngle(r.Angle)
	case setup.Point:
		if l.Kind = light.Point; r.Length > 0 {
			l.Kind = light.Tube
		}
	case setup.Line:
		l.Kind = light.Tube
	case setup.Spot:
		l.Kind = light.Spot
		l.SetCone(r.Inner*math.Pi/180, r.Outer*math.Pi/180)
	case setup.Rect:
		l.Kind = light.Rect
	case setup.Disc:
		l.Kind = light.Disc
	case setup.Sky:
		l.Kind = light.Sky
		l.Shadow = true
		l.Gradient = light.Uniform
		if g := r.Gradient; g != nil {
			if l.Gradient = gradientOf(g); g.Clouds > 0 {
				l.Dome = clouded(*g)
			}
		}
		if r.Air != nil {
			l.Dome = domeOf(*r.Air)
		}
		if e := r.Environment; e != nil {
			l.Dome = assets.Domes[e.Dome()]
			if seen := e.SeenDome(); seen != "" {
				l.Seen = assets.Domes[seen]
			}
			sin, cos := math.Sincos(e.Turn * math.Pi / 180)
			l.Turn = [2]float32{float32(sin), float32(cos)}
		}
	case setup.Emissive:
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
			slide = light.Pattern(g.Pattern, setup.SlideSize)
		}
		l.SetGobo(slide, setup.SlideSize, r.Outer*math.Pi/180, g.Scale, g.Blur, g.Turn*math.Pi/180)
	}
	if d := r.Doors; d != nil {
		l.SetDoors([4]float64{d.Top * math.Pi / 180, d.Bottom * math.Pi / 180, d.Left * math.Pi / 180, d.Right * math.Pi / 180}, d.Length)
	}
}

// key hashes what the light's layers depend on: never its name, colour, output
// or stops.
func (r *Resolved) key(frame *vec.Mat4) [32]byte {
	k := r.Light
	k.Name, k.Group, k.Order, k.Role, k.Output, k.Stops, k.Colour, k.Off, k.Carry, k.ShadowMap, k.Locked = "", "", 0, "", 0, 0, setup.Colour{}, false, "", 0, false
	k.Unit, k.UnitAt, k.Link, k.Drawn, k.Opening = "", 0, "", nil, false
	if k.Profile != nil {
		k.Profile = &setup.Profile{Blob: k.Profile.Blob, Turn: k.Profile.Turn}
	}
	if k.Gobo != nil {
		g := *k.Gobo
		g.File = ""
		k.Gobo = &g
	}
	b, err := json.Marshal(struct {
		Algorithm int
		ID        string // names its random numbers
		setup.Light
		Frame *vec.Mat4
	}{layerAlgorithm, r.ID, k, frame})
	if err != nil {
		panic(err)
	}
	return sha256.Sum256(b)
}

// layerAlgorithm changes whenever the same inputs would give another layer.
const layerAlgorithm = 8
