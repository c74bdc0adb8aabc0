package ask

import (
	"bytes"
	"encoding/binary"
	"math"

	"willowherb/core/colour"
	"willowherb/core/film"
	"willowherb/core/spread"
	"willowherb/core/weigh"
	"willowherb/refine"
)

// Map returns what lies under each pixel of a frame: its object's number
// (2^32-1 for none) and its distance from the eye in metres as float32, two words
// a pixel; nil while it is not known.
func Map(p *refine.Pictures, frame string) []uint32 {
	f, _ := p.ByKey(frame)
	if f == nil {
		return nil
	}
	g := f.Guide
	out := make([]uint32, 2*len(g.Tri))
	for i, tri := range g.Tri {
		out[2*i] = math.MaxUint32
		if tri != math.MaxUint32 {
			out[2*i] = f.Stage.Scene.Obj[tri]
			out[2*i+1] = math.Float32bits(g.Pos[i].Sub(f.Cam.Eye).Len())
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
func Drawn(p *refine.Pictures, frame, what, light string) (data []byte, scale float32, err error) {
	f, lamps := p.ByKey(frame)
	if f == nil {
		return nil, 0, nil
	}
	err = spread.Guard(func() error {
		switch what {
		case Crowding:
			data, scale = weigh.Crowding(lamps, f.Guide), 1
			return nil
		case Reaching:
			for _, l := range lamps {
				if l.ID == light {
					data, scale = weigh.Reach(f.Stage.World, l.Source, f.Guide, f.Cam), 1
				}
			}
			return nil
		}
		pic := surfaces(f, what)
		if pic != nil {
			var packed []uint32
			packed, scale = film.Pack(pic)
			data = words(packed)
		}
		return nil
	})
	return data, scale, err
}

// surfaces draws a map of what the surfaces are; nil for one that is not known.
func surfaces(f *refine.Frame, what string) []float32 {
	g, world := f.Guide, f.Stage.World
	pic := make([]float32, 3*len(g.Tri))
	switch what {
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
				if q.Dot(g.Pos[i].Sub(f.Cam.Eye)) > 0 {
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
		e := world.MapEdges(f.Cam, f.See, f.W, f.H)
		for i, tri := range g.Tri {
			b := float32(0)
			if tri != math.MaxUint32 {
				_, n := world.S.Area(tri)
				b = 0.06 + 0.16*float32(math.Abs(float64(n.Dot(g.Pos[i].Sub(f.Cam.Eye).Norm()))))
			}
			v := b + e[i]*(0.75-b)
			pic[3*i], pic[3*i+1], pic[3*i+2] = v, v, v
		}
	default:
		return nil
	}
	return pic
}

// words turns floats or words into little-endian bytes.
func words[T uint32 | float32](in []T) []byte {
	b := &bytes.Buffer{}
	_ = binary.Write(b, binary.LittleEndian, in)
	return b.Bytes()
}
