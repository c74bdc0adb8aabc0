package scene

import (
	"math"
	"sort"
	"strings"

	"willowherb/core/vec"
)

// Node is a place in the hierarchy that objects hang from. Its own transform is T,
// R, S (metres, quaternion x y z w, factors) unless Fixed holds one that cannot be
// taken apart, which animations leave alone.
type Node struct {
	Name   string
	Parent int // or None; always before its children
	T      [3]float64
	R      [4]float64
	S      [3]float64
	Fixed  *vec.Mat4
}

// Target is what a channel moves.
type Target uint8

// Targets of animation channels.
const (
	Translation Target = iota
	Rotation
	Scaling
)

// Interpolation between the keys of a channel, as in glTF 2.0.
type Interpolation uint8

// Interpolations.
const (
	Linear Interpolation = iota // rotations along the great circle
	Step
	Cubic // Hermite, with in- and out-tangents
)

// Channel moves one thing about one node. Times are seconds, rising; Values hold 3
// or 4 numbers a key, for Cubic in-tangent, value and out-tangent.
type Channel struct {
	Node   int
	Target Target
	How    Interpolation
	Times  []float32
	Values []float32
}

// Animation is a clip.
type Animation struct {
	Name     string
	Channels []Channel
}

// Duration of all clips together, in seconds.
func (s *Scene) Duration() float64 {
	var d float32
	for _, a := range s.Animations {
		for _, c := range a.Channels {
			d = max(d, c.Times[len(c.Times)-1])
		}
	}
	return float64(d)
}

// Move places what hangs from a path somewhere else: turned about the upright axis
// through Pivot by Turn degrees, then shifted by Offset metres.
type Move struct {
	Offset, Pivot [3]float64
	Turn          float64
}

func (m *Move) matrix() vec.Mat4 {
	h := m.Turn * math.Pi / 360
	r := vec.TRS([3]float64{}, [4]float64{0, math.Sin(h), 0, math.Cos(h)}, [3]float64{1, 1, 1})
	back := [3]float64{-m.Pivot[0], -m.Pivot[1], -m.Pivot[2]}
	to := [3]float64{m.Pivot[0] + m.Offset[0], m.Pivot[1] + m.Offset[1], m.Pivot[2] + m.Offset[2]}
	return vec.Shift(to).Mul(r).Mul(vec.Shift(back))
}

// Under reports whether the path of an object lies at or under that of a node.
func Under(path, node string) bool { return path == node || strings.HasPrefix(path, node+"/") }

// Animated reports, for each object, whether an animation moves it.
func (s *Scene) Animated() []bool {
	node := s.movingNodes()
	out := make([]bool, len(s.Objects))
	for i := range s.Objects {
		n := s.Objects[i].Node
		out[i] = n >= 0 && n < len(node) && node[n]
	}
	return out
}

// Travels reports whether an animation moves a camera.
func (s *Scene) Travels(camera int) bool {
	n := s.Cameras[camera].Hangs - 1
	node := s.movingNodes()
	return n >= 0 && n < len(node) && node[n]
}

// CameraAt is a camera at a time of the animations, in seconds.
func (s *Scene) CameraAt(camera int, time float64) Camera {
	c := s.Cameras[camera]
	if !s.Travels(camera) {
		return c
	}
	m := s.worlds(&time)[c.Hangs-1]
	aim, up := m.Dir(vec.V3{Z: -1}).Norm(), m.Dir(vec.V3{Y: 1}).Norm()
	if aim == (vec.V3{}) || up == (vec.V3{}) {
		return c // it has no size there
	}
	c.Eye, c.Aim, c.Up = m.Point(vec.V3{}), aim, up
	return c
}

// movingNodes reports, for each node, whether an animation moves it.
func (s *Scene) movingNodes() []bool {
	node := make([]bool, len(s.Nodes))
	for _, a := range s.Animations {
		for _, c := range a.Channels {
			node[c.Node] = true
		}
	}
	for i := range s.Nodes {
		if p := s.Nodes[i].Parent; p != None && node[p] {
			node[i] = true
		}
	}
	return node
}

// Pose returns the scene at a time of its animations (seconds, clamped to their
// length) with the moves by path applied. What does not move is shared with s.
func (s *Scene) Pose(time float64, moves map[string]Move) *Scene {
	to, moved := s.animated(time)
	// The longest path comes last: a lantern moves with its bearer, and then by itself.
	paths := make([]string, 0, len(moves))
	for p := range moves {
		paths = append(paths, p)
	}
	sort.Slice(paths, func(i, j int) bool {
		return len(paths[i]) < len(paths[j]) || len(paths[i]) == len(paths[j]) && paths[i] < paths[j]
	})
	for _, p := range paths {
		v := moves[p]
		m := v.matrix()
		for i := range s.Objects {
			if !Under(s.Objects[i].Path, p) {
				continue
			}
			q := m
			if moved[i] != nil {
				q = m.Mul(*moved[i])
			}
			moved[i], to[i] = &q, m.Mul(to[i])
		}
	}
	out := *s
	out.Moved = moved
	out.V.Pos, out.V.Nrm = append([]vec.V3(nil), s.V.Pos...), append([]vec.V3(nil), s.V.Nrm...)
	out.V.Tan = append([][4]float32(nil), s.V.Tan...)
	out.Objects = append([]Object(nil), s.Objects...)
	for i, m := range moved {
		if m != nil {
			out.put(s, i, &to[i], m)
			out.Lo, out.Hi = vec.Min3(out.Lo, out.Objects[i].Lo), vec.Max3(out.Hi, out.Objects[i].Hi)
		}
	}
	return &out
}

// animated is, for each object, what takes its mesh to the place at a time, and what
// took it there from rest; nil for what an animation does not move.
func (s *Scene) animated(time float64) (to []vec.Mat4, moved []*vec.Mat4) {
	to, moved = make([]vec.Mat4, len(s.Objects)), make([]*vec.Mat4, len(s.Objects))
	rest := s.worlds(nil)
	posed, moving := rest, []bool(nil)
	if time > 0 && len(s.Animations) > 0 {
		posed, moving = s.worlds(&time), s.Animated()
	}
	for i := range s.Objects {
		o := &s.Objects[i]
		to[i] = o.To
		if o.Node < 0 || o.Node >= len(rest) {
			if o.Mesh == nil {
				to[i] = vec.Identity()
			}
			continue
		}
		to[i] = posed[o.Node].Mul(o.To)
		if moving == nil || !moving[i] {
			continue
		}
		m := vec.Shift([3]float64{posed[o.Node][12] - rest[o.Node][12], posed[o.Node][13] - rest[o.Node][13], posed[o.Node][14] - rest[o.Node][14]})
		if back, ok := rest[o.Node].Inverse(); ok {
			m = posed[o.Node].Mul(back)
		} // else it has no size at rest: only its place is known to have moved
		moved[i] = &m
	}
	return to, moved
}

// put brings an object of a copy of the scene rest to where it is: its mesh by to, or,
// where it has none, its vertices at rest by moved.
func (s *Scene) put(rest *Scene, object int, to, moved *vec.Mat4) {
	o := &s.Objects[object]
	inf := float32(math.Inf(1))
	o.Lo, o.Hi = vec.Splat(inf), vec.Splat(-inf)
	if o.Mesh != nil {
		v := &o.Mesh.V
		for i, p := range v.Pos {
			k := o.FirstVertex + i
			s.V.Pos[k], s.V.Nrm[k] = to.Point(p), to.Normal(v.Nrm[i]).Norm()
			if len(v.Tan) > 0 {
				s.V.Tan[k] = turned(to, v.Tan[i])
			}
			o.Lo, o.Hi = vec.Min3(o.Lo, s.V.Pos[k]), vec.Max3(o.Hi, s.V.Pos[k])
		}
		return
	}
	for _, v := range s.Index[3*o.First : 3*(o.First+o.Count)] {
		s.V.Pos[v], s.V.Nrm[v] = moved.Point(rest.V.Pos[v]), moved.Normal(rest.V.Nrm[v]).Norm()
		o.Lo, o.Hi = vec.Min3(o.Lo, s.V.Pos[v]), vec.Max3(o.Hi, s.V.Pos[v])
	}
}

// MovedAt is what takes what hangs from a path from rest to where it is now; nil
// where it rests, or is not there.
func (s *Scene) MovedAt(path string) *vec.Mat4 {
	for i := range s.Moved {
		if Under(s.Objects[i].Path, path) {
			return s.Moved[i]
		}
	}
	return nil
}

// worlds are the nodes' transforms to the world, at rest or at a time.
func (s *Scene) worlds(time *float64) []vec.Mat4 {
	nodes := s.Nodes
	if time != nil {
		nodes = append([]Node(nil), s.Nodes...)
		for _, a := range s.Animations {
			for i := range a.Channels {
				c := &a.Channels[i]
				n := &nodes[c.Node]
				switch v := c.at(float32(*time)); c.Target {
				case Translation:
					n.T = [3]float64(v[:3])
				case Rotation:
					n.R = v
				case Scaling:
					n.S = [3]float64(v[:3])
				}
			}
		}
	}
	out := make([]vec.Mat4, len(nodes))
	for i := range nodes {
		n := &nodes[i]
		m := vec.TRS(n.T, n.R, n.S)
		if n.Fixed != nil {
			m = *n.Fixed
		}
		if n.Parent != None {
			m = out[n.Parent].Mul(m)
		}
		out[i] = m
	}
	return out
}

// at interpolates the channel (glTF 2.0, appendix C).
func (c *Channel) at(t float32) (v [4]float64) {
	of := 3
	if c.Target == Rotation {
		of = 4
	}
	stride, skip := of, 0
	if c.How == Cubic {
		stride, skip = 3*of, of
	}
	key := func(i, part int) (q [4]float64) {
		for k := range of {
			q[k] = float64(c.Values[i*stride+part*of+k])
		}
		return q
	}
	value := func(i int) [4]float64 { return key(i, skip/of) }
	last := len(c.Times) - 1
	i := sort.Search(len(c.Times), func(i int) bool { return c.Times[i] > t }) - 1
	switch {
	case i < 0:
		v = value(0)
	case i >= last || c.How == Step:
		v = value(min(i, last))
	default:
		d := float64(c.Times[i+1] - c.Times[i])
		u := float64(t-c.Times[i]) / d
		a, b := value(i), value(i+1)
		switch {
		case c.How == Cubic:
			out, in := key(i, 2), key(i+1, 0)
			u2, u3 := u*u, u*u*u
			for k := range of {
				v[k] = (2*u3-3*u2+1)*a[k] + d*(u3-2*u2+u)*out[k] + (3*u2-2*u3)*b[k] + d*(u3-u2)*in[k]
			}
		case c.Target == Rotation:
			v = slerp(a, b, u)
		default:
			for k := range of {
				v[k] = a[k] + u*(b[k]-a[k])
			}
		}
	}
	if c.Target == Rotation {
		l := math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2] + v[3]*v[3])
		if l < 1e-9 {
			return [4]float64{0, 0, 0, 1}
		}
		for k := range v {
			v[k] /= l
		}
	}
	return v
}

// slerp goes along the shorter great circle between two unit quaternions.
func slerp(a, b [4]float64, u float64) (v [4]float64) {
	d := a[0]*b[0] + a[1]*b[1] + a[2]*b[2] + a[3]*b[3]
	sign := 1.0
	if d < 0 {
		d, sign = -d, -1
	}
	p, q := 1-u, u
	if d < 0.9999 {
		w := math.Acos(d)
		p, q = math.Sin((1-u)*w)/math.Sin(w), math.Sin(u*w)/math.Sin(w)
	}
	for k := range v {
		v[k] = p*a[k] + sign*q*b[k]
	}
	return v
}

// FigureSize is how large, in metres across, what hangs from one node at the top
// of the file may be to count as one figure; of larger things (the level itself)
// only the object counts.
const FigureSize = 6

// Figure is the figure that an object belongs to: its name, and its objects.
func Figure(sc *Scene, object int) (name string, part []bool) {
	part = make([]bool, len(sc.Objects))
	top, _, nested := strings.Cut(sc.Objects[object].Path, "/")
	lo, hi := sc.Objects[object].Lo, sc.Objects[object].Hi
	for i := range sc.Objects {
		if o := &sc.Objects[i]; nested && strings.HasPrefix(o.Path, top+"/") {
			part[i] = true
			lo, hi = vec.Min3(lo, o.Lo), vec.Max3(hi, o.Hi)
		}
	}
	if nested && hi.Sub(lo).Len() <= FigureSize {
		return top, part
	}
	clear(part)
	part[object] = true
	return sc.Objects[object].Name, part
}

// Extent is the box round the figure that an object belongs to.
func Extent(sc *Scene, object int) (lo, hi vec.V3) {
	_, part := Figure(sc, object)
	lo, hi = sc.Objects[object].Lo, sc.Objects[object].Hi
	for i := range sc.Objects {
		if part[i] {
			lo, hi = vec.Min3(lo, sc.Objects[i].Lo), vec.Max3(hi, sc.Objects[i].Hi)
		}
	}
	return lo, hi
}
