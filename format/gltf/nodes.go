package gltf

import (
	"encoding/json"
	"fmt"
	"math"
	"slices"
	"strings"

	"willowherb/core/colour"
	"willowherb/core/scene"
	"willowherb/core/vec"
)

// local returns a node's own transform.
func (r *reader) local(i int) (vec.Mat4, error) {
	n := &r.doc.Nodes[i]
	at := fmt.Sprintf("nodes[%d]", i)
	finite := func(path string, v []float64, want int) error {
		if len(v) != want {
			return r.fail(at+path, again, "has %d numbers, %d belong there", len(v), want)
		}
		for _, x := range v {
			if math.IsNaN(x) || math.Abs(x) > 1e9 {
				return r.fail(at+path, again, "holds %g, which is no place", x)
			}
		}
		return nil
	}
	if len(n.Matrix) > 0 {
		if err := finite(".matrix", n.Matrix, 16); err != nil {
			return vec.Mat4{}, err
		}
		return vec.Mat4(n.Matrix), nil
	}
	t, q, s := [3]float64{}, [4]float64{0, 0, 0, 1}, [3]float64{1, 1, 1}
	if len(n.Translation) > 0 {
		if err := finite(".translation", n.Translation, 3); err != nil {
			return vec.Mat4{}, err
		}
		t = [3]float64(n.Translation)
	}
	if len(n.Rotation) > 0 {
		if err := finite(".rotation", n.Rotation, 4); err != nil {
			return vec.Mat4{}, err
		}
		q = [4]float64(n.Rotation)
		l := math.Sqrt(q[0]*q[0] + q[1]*q[1] + q[2]*q[2] + q[3]*q[3])
		if l < 1e-6 {
			return vec.Mat4{}, r.fail(at+".rotation", again, "is not a rotation")
		}
		for k := range q {
			q[k] /= l
		}
	}
	if len(n.Scale) > 0 {
		if err := finite(".scale", n.Scale, 3); err != nil {
			return vec.Mat4{}, err
		}
		s = [3]float64(n.Scale)
	}
	return vec.TRS(t, q, s), nil
}

// roots are the nodes to start from: those of the default scene, else the first
// scene's, else all that nobody has for a child.
func (r *reader) roots() ([]int, error) {
	if len(r.doc.Scenes) > 0 {
		k := 0
		if r.doc.Scene != nil {
			k = *r.doc.Scene
		}
		if k < 0 || k >= len(r.doc.Scenes) {
			return nil, r.fail("scene", again, "names scene %d of %d", k, len(r.doc.Scenes))
		}
		return r.doc.Scenes[k].Nodes, nil
	}
	child := make([]bool, len(r.doc.Nodes))
	for _, n := range r.doc.Nodes {
		for _, c := range n.Children {
			if c >= 0 && c < len(child) {
				child[c] = true
			}
		}
	}
	var out []int
	for i := range r.doc.Nodes {
		if !child[i] {
			out = append(out, i)
		}
	}
	return out, nil
}

func (r *reader) nodes() error {
	roots, err := r.roots()
	if err != nil {
		return err
	}
	// First pass: how much there will be, so that attributes are sized once.
	for _, m := range r.doc.Meshes {
		for _, p := range m.Primitives {
			if _, ok := p.Attributes["TEXCOORD_1"]; ok {
				r.twoUV = true
			}
			if _, ok := p.Attributes["COLOR_0"]; ok {
				r.colours = true
			}
			if _, ok := p.Attributes["TANGENT"]; ok {
				r.tangents = true
			}
		}
	}
	seen := make([]bool, len(r.doc.Nodes))
	for _, i := range roots {
		if err := r.visit(i, scene.None, vec.Identity(), "", 0, seen); err != nil {
			return err
		}
	}
	return nil
}

// maxName bounds the name of a node, in bytes.
const maxName = 256

func (r *reader) visit(i, up int, parent vec.Mat4, path string, depth int, seen []bool) error {
	if i < 0 || i >= len(r.doc.Nodes) {
		return r.fail("nodes", again, "node %d of %d is named as a child", i, len(r.doc.Nodes))
	}
	at := fmt.Sprintf("nodes[%d]", i)
	if seen[i] {
		return r.fail(at, again, "is reached twice: the nodes do not form a tree")
	}
	seen[i] = true
	if depth > r.lim.Depth {
		return r.fail(at, "flatten the hierarchy", "lies deeper than %d levels", r.lim.Depth)
	}
	if err := r.ctx.Err(); err != nil {
		return err
	}
	n := &r.doc.Nodes[i]
	m, err := r.local(i)
	if err != nil {
		return err
	}
	r.place(i, up, m)
	at0 := len(r.out.Nodes) - 1
	m = parent.Mul(m)
	name := n.Name
	if name == "" {
		name = fmt.Sprintf("node %d", i)
	}
	if len(name) > maxName { // it is written again for every instance
		name = strings.ToValidUTF8(name[:maxName], "")
	}
	if path != "" {
		path += "/"
	}
	if path += name; len(path) > 1024 {
		path = path[len(path)-1024:]
	}
	if n.Mesh != nil {
		if *n.Mesh < 0 || *n.Mesh >= len(r.doc.Meshes) {
			return r.fail(at+".mesh", again, "names mesh %d of %d", *n.Mesh, len(r.doc.Meshes))
		}
		places := []vec.Mat4{vec.Identity()}
		if in := n.Extensions.Instancing; in != nil {
			if places, err = r.instances(at, in.Attributes); err != nil {
				return err
			}
		}
		for k, p := range places {
			called := name
			if len(places) > 1 {
				called = fmt.Sprintf("%s %d", name, k+1)
			}
			if err := r.instance(at, *n.Mesh, n.Weights, called, path, at0, p, m.Mul(p)); err != nil {
				return err
			}
		}
	}
	if n.Camera != nil {
		if err := r.camera(at, *n.Camera, m, name, at0); err != nil {
			return err
		}
	}
	if l := n.Extensions.Light; l != nil {
		if err := r.light(at, l.Light, m, name); err != nil {
			return err
		}
	}
	if n.Extensions.Light == nil && len(n.Extras) > 0 {
		// A light that the extension has no words for.
		var extras map[string]any
		if json.Unmarshal(n.Extras, &extras) == nil && extras["willowherb"] != nil {
			r.out.Lights = append(r.out.Lights, scene.Light{Name: name, Kind: scene.Unsaid, Extras: extras})
		}
	}
	for _, c := range n.Children {
		if err := r.visit(c, at0, m, path, depth+1, seen); err != nil {
			return err
		}
	}
	return nil
}

func (r *reader) camera(at string, k int, m vec.Mat4, name string, hangs int) error {
	if k < 0 || k >= len(r.doc.Cameras) {
		return r.fail(at+".camera", again, "names camera %d of %d", k, len(r.doc.Cameras))
	}
	c := &r.doc.Cameras[k]
	if c.Perspective == nil {
		r.warn("cameras[%d]: an orthographic camera is left out", k)
		return nil
	}
	p := c.Perspective
	if !(p.YFov > 0.001 && p.YFov < 3.1) {
		return r.fail(fmt.Sprintf("cameras[%d].perspective.yfov", k), again, "%g is not an angle between 0.001 and 3.1", p.YFov)
	}
	if c.Name != "" {
		name = c.Name
	}
	aspect := p.AspectRatio
	if !(aspect > 0.05 && aspect < 20) {
		aspect = 0
	}
	aim, up := m.Dir(vec.V3{Z: -1}).Norm(), m.Dir(vec.V3{Y: 1}).Norm()
	if aim == (vec.V3{}) || up == (vec.V3{}) {
		r.warn("camera %q has no direction and is left out", name)
		return nil
	}
	r.out.Cameras = append(r.out.Cameras, scene.Camera{Name: name, Eye: m.Point(vec.V3{}), Aim: aim, Up: up, FovY: p.YFov, Aspect: aspect, Hangs: hangs + 1})
	return nil
}

func (r *reader) light(at string, k int, m vec.Mat4, name string) error {
	ext := r.doc.Extensions.Lights
	if ext == nil || k < 0 || k >= len(ext.Lights) {
		return r.fail(at+".extensions.KHR_lights_punctual.light", again, "names light %d, which is not there", k)
	}
	l := &ext.Lights[k]
	lat := fmt.Sprintf("extensions.KHR_lights_punctual.lights[%d]", k)
	o := scene.Light{Name: name, Position: m.Point(vec.V3{}), Aim: m.Dir(vec.V3{Z: -1}).Norm(), Color: [3]float64{1, 1, 1}, Intensity: 1, Extras: l.Extras}
	if n := r.doc.Nodes; name == "" || len(n) == 0 {
		o.Name = l.Name
	}
	if o.Aim == (vec.V3{}) {
		o.Aim = vec.V3{Y: -1}
	}
	switch l.Type {
	case "directional":
		o.Kind = scene.Sun
	case "point":
		o.Kind = scene.Point
	case "spot":
		o.Kind = scene.Spot
		o.Outer = math.Pi / 4
		if l.Spot != nil {
			if l.Spot.Inner != nil {
				o.Inner = *l.Spot.Inner
			}
			if l.Spot.Outer != nil {
				o.Outer = *l.Spot.Outer
			}
		}
		if !(o.Inner >= 0 && o.Outer > 0 && o.Outer <= math.Pi/2+1e-6) {
			return r.fail(lat+".spot", again, "cone angles %g and %g are not between 0 and pi/2", o.Inner, o.Outer)
		}
		o.Inner = min(o.Inner, o.Outer)
	default:
		return r.fail(lat+".type", again, "%q is unknown", l.Type)
	}
	if l.Intensity != nil {
		o.Intensity = *l.Intensity
	}
	if !(o.Intensity >= 0 && o.Intensity < 1e12) {
		return r.fail(lat+".intensity", again, "%g is not an intensity", o.Intensity)
	}
	if len(l.Color) == 3 {
		for q, v := range l.Color {
			if !(v >= 0 && v < 1e6) {
				return r.fail(lat+".color", again, "holds %g", v)
			}
			o.Color[q] = v
		}
	}
	if l.Range != nil {
		if !(*l.Range > 0) {
			return r.fail(lat+".range", "leave it out for no range", "%g is not a distance", *l.Range)
		}
		o.Range = *l.Range
	}
	if colour.Luminance(o.Color) == 0 {
		r.warn("light %q is black", name)
	}
	r.out.Lights = append(r.out.Lights, o)
	return nil
}

// instance puts mesh k, with a node's weights for its morph targets, into the place.
func (r *reader) instance(at string, k int, weights []float64, name, path string, node int, to, world vec.Mat4) error {
	if r.parts += len(r.doc.Meshes[k].Primitives); r.parts > r.lim.Parts {
		return r.fail(at, "merge parts, or draw fewer instances", "the level draws over %d parts", r.lim.Parts)
	}
	m, err := r.mesh(k, weights)
	if err != nil || len(m.Mat) == 0 {
		return err
	}
	s := r.out
	switch {
	case int64(len(s.V.Pos)+len(m.V.Pos)) > r.lim.Vertices:
		return r.fail(at, "split the level or reduce its detail", "the place has over %d vertices", r.lim.Vertices)
	case int64(len(s.Mat)+len(m.Mat)) > r.lim.Triangles:
		return r.fail(at, "split the level or reduce its detail", "the place has over %d triangles", r.lim.Triangles)
	}
	if err := r.ctx.Err(); err != nil {
		return err
	}
	base := len(s.V.Pos)
	if flat := s.Instance(m, name, path, node, to, world, r.moves(node)); flat > 0 {
		r.warn("%s: %d triangles without area are left out", path, flat)
	}
	for i, q := range s.V.Pos[base:] {
		if !q.Finite() || q.Max() > 1e7 || q.Neg().Max() > 1e7 {
			return r.fail(fmt.Sprintf("%s, vertex %d of meshes[%d]", at, i, k), again, "the position %g, %g, %g is no place", q.X, q.Y, q.Z)
		}
	}
	return nil
}

// moves reports whether an animation moves a node of the scene, or one that it hangs
// from.
func (r *reader) moves(node int) bool {
	if r.animated == nil {
		r.animated = map[int]bool{}
		for _, a := range r.doc.Animations {
			for _, c := range a.Channels {
				if c.Target.Node != nil {
					r.animated[*c.Target.Node] = true
				}
			}
		}
	}
	for ; node != scene.None; node = r.out.Nodes[node].Parent {
		if r.animated[r.origin[node]] {
			return true
		}
	}
	return false
}

// mesh reads mesh k once for each set of weights of its morph targets.
func (r *reader) mesh(k int, weights []float64) (*scene.Mesh, error) {
	of := &r.doc.Meshes[k]
	if len(weights) == 0 {
		weights = of.Weights
	}
	key := fmt.Sprint(k, weights)
	if m := r.meshes[key]; m != nil {
		return m, nil
	}
	m := &scene.Mesh{}
	flat := 0
	for pi := range of.Primitives {
		n, err := r.primitive(fmt.Sprintf("meshes[%d].primitives[%d]", k, pi), &of.Primitives[pi], weights, m)
		if err != nil {
			return nil, err
		}
		flat += n
	}
	if flat > 0 {
		r.warn("meshes[%d] %q: %d triangles without area are left out", k, of.Name, flat)
	}
	if r.meshes == nil {
		r.meshes = map[string]*scene.Mesh{}
	}
	r.meshes[key] = m
	return m, nil
}

// vertices are the attributes of a primitive.
type vertices struct {
	pos, nrm, tan, uv0, uv1, col span
	n                            int
}

// known attributes; what else a primitive has is left out.
var known = []string{"POSITION", "NORMAL", "TANGENT", "TEXCOORD_0", "TEXCOORD_1", "COLOR_0"}

func (r *reader) vertices(at string, p *primitive, room int64) (v vertices, err error) {
	quantized := slices.Contains(r.doc.ExtensionsUsed, "KHR_mesh_quantization")
	at += ".attributes."
	v.pos, err = r.accessor(at+"POSITION", p.Attributes["POSITION"], room, "VEC3")
	if err != nil {
		return v, err
	}
	if v.pos.comp != 5126 && (!quantized || v.pos.comp == 5125) {
		return v, r.fail(at+"POSITION", "export positions as float, or say that KHR_mesh_quantization is used", "component type %d is not float", v.pos.comp)
	}
	v.n = v.pos.n
	attr := func(to *span, name string, types ...string) {
		i, ok := p.Attributes[name]
		if !ok || err != nil {
			return
		}
		*to, err = r.accessor(at+name, i, r.lim.Vertices, types...)
		if err == nil && to.n != v.n {
			err = r.fail(at+name, again, "has %d elements for %d positions", to.n, v.n)
		}
	}
	attr(&v.nrm, "NORMAL", "VEC3")
	attr(&v.tan, "TANGENT", "VEC4")
	attr(&v.uv0, "TEXCOORD_0", "VEC2")
	attr(&v.uv1, "TEXCOORD_1", "VEC2")
	attr(&v.col, "COLOR_0", "VEC3", "VEC4")
	v.pos.whole, v.uv0.whole, v.uv1.whole = quantized, quantized, quantized
	var odd []string
	for name := range p.Attributes {
		if !slices.Contains(known, name) {
			odd = append(odd, name)
		}
	}
	slices.Sort(odd)
	for _, name := range odd {
		r.warn("the vertex attribute %s is left out", name)
	}
	return v, err
}

func triple(s *span, i int) vec.V3 {
	if s.n == 0 {
		return vec.V3{}
	}
	return vec.V3{X: s.float(i, 0), Y: s.float(i, 1), Z: s.float(i, 2)}
}

func (r *reader) primitive(at string, p *primitive, weights []float64, m *scene.Mesh) (flat int, err error) {
	mode := 4
	if p.Mode != nil {
		mode = *p.Mode
	}
	if mode < 4 || mode > 6 {
		if mode < 0 || mode > 6 {
			return 0, r.fail(at+".mode", again, "%d is unknown", mode)
		}
		r.warn("%s: points and lines are left out", at)
		return 0, nil
	}
	if _, ok := p.Attributes["POSITION"]; !ok {
		r.warn("%s: has no positions and is left out", at)
		return 0, nil
	}
	base := len(m.V.Pos)
	v, err := r.vertices(at, p, r.lim.Vertices-int64(base))
	if err != nil {
		return 0, err
	}
	ix, err := r.indices(at, p)
	if err != nil {
		return 0, err
	}
	n := v.n
	if p.Indices != nil {
		n = ix.n
	}
	tris := n / 3
	if mode != 4 {
		tris = max(n-2, 0)
	} else if n%3 != 0 {
		r.warn("%s: %d indices are not whole triangles, the rest is left out", at, n)
	}
	if int64(len(m.Mat)+tris) > r.lim.Triangles {
		return 0, r.fail(at, "split the level or reduce its detail", "the place has over %d triangles", r.lim.Triangles)
	}
	mat := uint16(len(r.out.Materials) - 1)
	if p.Material != nil {
		if *p.Material < 0 || *p.Material >= len(r.out.Materials)-1 {
			return 0, r.fail(at+".material", again, "names material %d of %d", *p.Material, len(r.out.Materials)-1)
		}
		mat = uint16(*p.Material)
	}
	r.take(&v, m)
	if err := r.morph(at, p, weights, m, base); err != nil {
		return 0, err
	}
	for i, q := range m.V.Pos[base:] {
		if !q.Finite() || q.Max() > 1e7 || q.Neg().Max() > 1e7 {
			return 0, r.fail(fmt.Sprintf("accessors[%d], element %d", p.Attributes["POSITION"], i), again, "the position %g, %g, %g is no place", q.X, q.Y, q.Z)
		}
	}
	first := len(m.Mat)
	for t := range tris {
		k := corners(mode, t)
		for q := range k {
			if p.Indices != nil {
				i := ix.uint(k[q])
				if int64(i) >= int64(v.n) {
					return 0, r.fail(fmt.Sprintf("accessors[%d], element %d", *p.Indices, k[q]), again, "names vertex %d of %d", i, v.n)
				}
				k[q] = int(i)
			}
			k[q] += base
		}
		a := m.V.Pos[k[0]]
		if c := m.V.Pos[k[1]].Sub(a).Cross(m.V.Pos[k[2]].Sub(a)); !(c.Dot(c) > 0) {
			flat++
			continue
		}
		m.Index = append(m.Index, uint32(k[0]), uint32(k[1]), uint32(k[2]))
		m.Mat = append(m.Mat, mat)
	}
	if v.nrm.n == 0 {
		flatNormals(m, first)
	}
	return flat, nil
}

// indices are a primitive's, none where it has none.
func (r *reader) indices(at string, p *primitive) (ix span, err error) {
	if p.Indices == nil {
		return ix, nil
	}
	if ix, err = r.accessor(at+".indices", *p.Indices, 3*r.lim.Triangles, "SCALAR"); err != nil {
		return ix, err
	}
	if ix.comp != 5121 && ix.comp != 5123 && ix.comp != 5125 {
		return ix, r.fail(at+".indices", again, "component type %d is not an index", ix.comp)
	}
	return ix, nil
}

// corners are the places in the list of indices of triangle t, by the primitive's mode:
// triangles, a strip, a fan (glTF 2.0, section 3.7.2.1).
func corners(mode, t int) [3]int {
	switch mode {
	case 5:
		return [3]int{t, t + 1 + t%2, t + 2 - t%2}
	case 6:
		return [3]int{t + 1, t + 2, 0}
	}
	return [3]int{3 * t, 3*t + 1, 3*t + 2}
}

// take appends a primitive's vertices to a mesh. What some primitives of the file have
// and this one has not is filled in.
func (r *reader) take(v *vertices, m *scene.Mesh) {
	pair := func(s *span, i int) (u vec.V2) {
		if s.n > 0 {
			u = vec.V2{X: s.float(i, 0), Y: s.float(i, 1)}
			if !(vec.V3{X: u.X, Y: u.Y}).Finite() {
				u = vec.V2{}
			}
		}
		return u
	}
	for i := range v.n {
		m.V.Pos = append(m.V.Pos, triple(&v.pos, i))
		n := triple(&v.nrm, i).Norm()
		if !n.Finite() {
			n = vec.V3{}
		}
		m.V.Nrm = append(m.V.Nrm, n)
		m.V.UV0 = append(m.V.UV0, pair(&v.uv0, i))
		if r.twoUV {
			m.V.UV1 = append(m.V.UV1, pair(&v.uv1, i))
		}
		if r.colours {
			c := [4]float32{1, 1, 1, 1}
			for q := range v.col.of {
				if x := v.col.float(i, q); x >= 0 && x <= 1e4 {
					c[q] = x
				}
			}
			m.V.Color = append(m.V.Color, c)
		}
		if r.tangents {
			var t [4]float32
			if d := triple(&v.tan, i).Norm(); v.nrm.n > 0 && d != (vec.V3{}) && d.Finite() {
				t = [4]float32{d.X, d.Y, d.Z, 1}
				if v.tan.float(i, 3) < 0 {
					t[3] = -1
				}
			}
			m.V.Tan = append(m.V.Tan, t)
		}
	}
}

// morph moves a primitive's vertices, from base on, by its targets times their weights
// (glTF 2.0, section 3.7.2.2).
func (r *reader) morph(at string, p *primitive, weights []float64, m *scene.Mesh, base int) error {
	for k, target := range p.Targets {
		if k >= len(weights) || weights[k] == 0 {
			continue
		}
		w := float32(weights[k])
		if !(w > -1e4 && w < 1e4) {
			return r.fail(at, again, "the weight %g of its morph target %d is out of bounds", weights[k], k)
		}
		for name, i := range target {
			if name != "POSITION" && name != "NORMAL" && name != "TANGENT" {
				r.warn("the attribute %s of morph targets is left out", name)
				continue
			}
			d, err := r.accessor(fmt.Sprintf("%s.targets[%d].%s", at, k, name), i, r.lim.Vertices, "VEC3")
			if err != nil {
				return err
			}
			if d.n != len(m.V.Pos)-base {
				return r.fail(fmt.Sprintf("%s.targets[%d].%s", at, k, name), again, "has %d elements for %d positions", d.n, len(m.V.Pos)-base)
			}
			d.whole = slices.Contains(r.doc.ExtensionsUsed, "KHR_mesh_quantization")
			for q := range d.n {
				by := triple(&d, q).Scale(w)
				switch name {
				case "POSITION":
					m.V.Pos[base+q] = m.V.Pos[base+q].Add(by)
				case "NORMAL":
					m.V.Nrm[base+q] = m.V.Nrm[base+q].Add(by)
				case "TANGENT":
					if r.tangents {
						t := &m.V.Tan[base+q]
						t[0], t[1], t[2] = t[0]+by.X, t[1]+by.Y, t[2]+by.Z
					}
				}
			}
		}
	}
	if len(p.Targets) > 0 {
		for q := base; q < len(m.V.Nrm); q++ {
			m.V.Nrm[q] = m.V.Nrm[q].Norm()
		}
	}
	return nil
}

// flatNormals gives the triangles from first on their own flat normals, as
// glTF 2.0 asks where a file has none: vertices shared by triangles of another
// direction are copied.
func flatNormals(m *scene.Mesh, first int) {
	v := &m.V
	set := map[uint32]vec.V3{}
	for t := first; t < len(m.Mat); t++ {
		a := v.Pos[m.Index[3*t]]
		n := v.Pos[m.Index[3*t+1]].Sub(a).Cross(v.Pos[m.Index[3*t+2]].Sub(a)).Norm()
		for k := range 3 {
			at := &m.Index[3*t+k]
			old, used := set[*at]
			if used && old != n {
				v.Pos, v.Nrm, v.UV0 = append(v.Pos, v.Pos[*at]), append(v.Nrm, n), append(v.UV0, v.UV0[*at])
				if len(v.UV1) > 0 {
					v.UV1 = append(v.UV1, v.UV1[*at])
				}
				if len(v.Color) > 0 {
					v.Color = append(v.Color, v.Color[*at])
				}
				if len(v.Tan) > 0 {
					v.Tan = append(v.Tan, v.Tan[*at])
				}
				*at = uint32(len(v.Pos) - 1)
			}
			v.Nrm[*at] = n
			set[*at] = n
		}
	}
}
