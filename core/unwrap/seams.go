package unwrap

import "willowherb/core/vec"

// Seam is an edge of the mesh along which two patches meet and the surface goes on smoothly:
// both ends of it in each, in texels from the middle of the patch's first.
type Seam struct {
	A, B int // patches
	// From and To of A, then of B: the same ends.
	FromA, ToA, FromB, ToB vec.V2
	Length                 float32 // in texels, the longer of the two
}

// smoothly is the least cosine between two faces that are one surface to the eye.
const smoothly = 0.7

// Seams finds where patches of a mesh meet.
func Seams(m *Mesh, patches []Patch) (out []Seam) {
	faces := facesOf(m)
	type in struct{ patch, tri int32 }
	of := make([]in, len(faces))
	for i := range of {
		of[i].patch = -1
	}
	for i := range patches {
		for k, t := range patches[i].Tris {
			of[t] = in{int32(i), int32(k)}
		}
	}
	for t := range faces {
		for k, o := range faces[t].next {
			if o < int32(t) || of[t].patch < 0 || of[o].patch < 0 || of[o].patch == of[t].patch || faces[t].n.Dot(faces[o].n) < smoothly {
				continue
			}
			a, b := &patches[of[t].patch], &patches[of[o].patch]
			if a.Tiny() && b.Tiny() {
				continue
			}
			p, q := m.Pos[m.Index[3*t+k]].Add(vec.V3{}), m.Pos[m.Index[3*t+(k+1)%3]].Add(vec.V3{})
			s := Seam{A: int(of[t].patch), B: int(of[o].patch), FromA: a.Corner(int(of[t].tri), k), ToA: a.Corner(int(of[t].tri), (k+1)%3)}
			found := 0
			for j := range 3 {
				switch m.Pos[m.Index[3*int(o)+j]].Add(vec.V3{}) {
				case p:
					s.FromB, found = b.Corner(int(of[o].tri), j), found|1
				case q:
					s.ToB, found = b.Corner(int(of[o].tri), j), found|2
				}
			}
			if found != 3 {
				continue
			}
			length := func(a, b vec.V2) float32 { return max(abs(a.X-b.X), abs(a.Y-b.Y)) }
			s.Length = max(length(s.FromA, s.ToA), length(s.FromB, s.ToB))
			out = append(out, s)
		}
	}
	return out
}

func abs(x float32) float32 { return max(x, -x) }
