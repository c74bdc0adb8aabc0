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
		places := []vec.Mat4{m}
		if in := n.Extensions.Instancing; in != nil {
			if places, err = r.instances(at, in.Attributes, m); err != nil {
				return err
			}
		}
		for k, p := range places {
			called := name
			if len(places) > 1 {
				called = fmt.Sprintf("%s %d", name, k+1)
			}
			if err := r.mesh(*n.Mesh, p, called, path, at0); err != nil {
				return err
			}
		}
	}
	if n.Camera != nil {
		if err := r.camera(at, *n.Camera, m, name); err != nil {
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

func (r *reader) camera(at string, k int, m vec.Mat4, name string) error {
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
	r.out.Cameras = append(r.out.Cameras, scene.Camera{Name: name, Eye: m.Point(vec.V3{}), Aim: aim, Up: up, FovY: p.YFov, Aspect: aspect})
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

func (r *reader) mesh(k int, m vec.Mat4, name, path string, node int) error {
	s := r.out
	obj := scene.Object{Name: name, Path: path, First: len(s.Mat), Node: node}
	flat := 0
	for pi := range r.doc.Meshes[k].Primitives {
		n, err := r.primitive(fmt.Sprintf("meshes[%d].primitives[%d]", k, pi), &r.doc.Meshes[k].Primitives[pi], m, uint32(len(s.Objects)))
		if err != nil {
			return err
		}
		flat += n
	}
	if flat > 0 {
		r.warn("%s: %d triangles without area are left out", path, flat)
	}
	if obj.Count = len(s.Mat) - obj.First; obj.Count == 0 {
		return nil
	}
	s.Objects = append(s.Objects, obj)
	return nil
}

func (r *reader) primitive(at string, p *primitive, m vec.Mat4, obj uint32) (flat int, err error) {
	if r.parts++; r.parts > r.lim.Parts {
		return 0, r.fail(at, "merge parts, or draw fewer instances", "the level draws over %d parts", r.lim.Parts)
	}
	if r.parts%256 == 0 && r.ctx.Err() != nil {
		return 0, r.ctx.Err()
	}
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
	ai, ok := p.Attributes["POSITION"]
	if !ok {
		r.warn("%s: has no positions and is left out", at)
		return 0, nil
	}
	s := r.out
	base := len(s.V.Pos)
	pos, err := r.accessor(at+".attributes.POSITION", ai, r.lim.Vertices-int64(base), "VEC3")
	if err != nil {
		return 0, err
	}
	quantized := slices.Contains(r.doc.ExtensionsUsed, "KHR_mesh_quantization")
	if pos.comp != 5126 && (!quantized || pos.comp == 5125) {
		return 0, r.fail(at+".attributes.POSITION", "export positions as float, or say that KHR_mesh_quantization is used", "component type %d is not float", pos.comp)
	}
	pos.whole = quantized
	attr := func(name string, types ...string) (span, bool, error) {
		i, ok := p.Attributes[name]
		if !ok {
			return span{}, false, nil
		}
		sp, err := r.accessor(at+".attributes."+name, i, r.lim.Vertices, types...)
		if err == nil && sp.n != pos.n {
			err = r.fail(at+".attributes."+name, again, "has %d elements for %d positions", sp.n, pos.n)
		}
		return sp, true, err
	}
	nrm, hasN, err := attr("NORMAL", "VEC3")
	if err != nil {
		return 0, err
	}
	uv0, hasUV0, err := attr("TEXCOORD_0", "VEC2")
	if err != nil {
		return 0, err
	}
	uv1, hasUV1, err := attr("TEXCOORD_1", "VEC2")
	if err != nil {
		return 0, err
	}
	uv0.whole, uv1.whole = quantized, quantized
	col, hasC, err := attr("COLOR_0", "VEC3", "VEC4")
	if err != nil {
		return 0, err
	}
	var ix span
	n := pos.n
	if p.Indices != nil {
		if ix, err = r.accessor(at+".indices", *p.Indices, 3*r.lim.Triangles, "SCALAR"); err != nil {
			return 0, err
		}
		if ix.comp != 5121 && ix.comp != 5123 && ix.comp != 5125 {
			return 0, r.fail(at+".indices", again, "component type %d is not an index", ix.comp)
		}
		n = ix.n
	}
	tris := n / 3
	if mode != 4 {
		tris = max(n-2, 0)
	} else if n%3 != 0 {
		r.warn("%s: %d indices are not whole triangles, the rest is left out", at, n)
	}
	if int64(len(s.Mat)+tris) > r.lim.Triangles {
		return 0, r.fail(at, "split the level or reduce its detail", "the place has over %d triangles", r.lim.Triangles)
	}
	mat := uint16(len(s.Materials) - 1)
	if p.Material != nil {
		if *p.Material < 0 || *p.Material >= len(s.Materials)-1 {
			return 0, r.fail(at+".material", again, "names material %d of %d", *p.Material, len(s.Materials)-1)
		}
		mat = uint16(*p.Material)
	}
	for i := range pos.n {
		q := m.Point(vec.V3{X: pos.float(i, 0), Y: pos.float(i, 1), Z: pos.float(i, 2)})
		if !q.Finite() || q.Max() > 1e7 || q.Neg().Max() > 1e7 {
			return 0, r.fail(fmt.Sprintf("accessors[%d], element %d", ai, i), again, "the position %g, %g, %g is no place", q.X, q.Y, q.Z)
		}
		s.V.Pos = append(s.V.Pos, q)
		var nn vec.V3
		if hasN {
			nn = m.Normal(vec.V3{X: nrm.float(i, 0), Y: nrm.float(i, 1), Z: nrm.float(i, 2)}).Norm()
			if !nn.Finite() {
				nn = vec.V3{}
			}
		}
		s.V.Nrm = append(s.V.Nrm, nn)
		pair := func(sp *span, has bool) (u vec.V2) {
			if has {
				u = vec.V2{X: sp.float(i, 0), Y: sp.float(i, 1)}
				if !(vec.V3{X: u.X, Y: u.Y}).Finite() {
					u = vec.V2{}
				}
			}
			return u
		}
		s.V.UV0 = append(s.V.UV0, pair(&uv0, hasUV0))
		if r.twoUV {
			s.V.UV1 = append(s.V.UV1, pair(&uv1, hasUV1))
		}
		if r.colours {
			c := [4]float32{1, 1, 1, 1}
			if hasC {
				for q := range col.of {
					if v := col.float(i, q); v >= 0 && v <= 1e4 {
						c[q] = v
					}
				}
			}
			s.V.Color = append(s.V.Color, c)
		}
	}
	at3 := func(i int) (uint32, error) {
		if p.Indices == nil {
			return uint32(base + i), nil
		}
		v := ix.uint(i)
		if int64(v) >= int64(pos.n) {
			return 0, r.fail(fmt.Sprintf("accessors[%d], element %d", *p.Indices, i), again, "names vertex %d of %d", v, pos.n)
		}
		return uint32(base) + v, nil
	}
	flip := m.Det3() < 0
	for t := range tris {
		var k [3]int
		switch mode {
		case 4:
			k = [3]int{3 * t, 3*t + 1, 3*t + 2}
		case 5:
			k = [3]int{t, t + 1 + t%2, t + 2 - t%2}
		case 6:
			k = [3]int{t + 1, t + 2, 0}
		}
		var v [3]uint32
		for q := range 3 {
			if v[q], err = at3(k[q]); err != nil {
				return 0, err
			}
		}
		if flip {
			v[1], v[2] = v[2], v[1]
		}
		a := s.V.Pos[v[0]]
		if c := s.V.Pos[v[1]].Sub(a).Cross(s.V.Pos[v[2]].Sub(a)); !(c.Dot(c) > 0) {
			flat++
			continue
		}
		s.Index = append(s.Index, v[0], v[1], v[2])
		s.Mat = append(s.Mat, mat)
		s.Obj = append(s.Obj, obj)
	}
	if !hasN {
		r.flatNormals(base, len(s.Mat)-tris+flat)
	}
	return flat, nil
}

// flatNormals gives the triangles from first on their own flat normals, as
// glTF 2.0 asks where a file has none: vertices shared by triangles of another
// direction are copied.
func (r *reader) flatNormals(base, first int) {
	v := &r.out.V
	set := make(map[uint32]vec.V3, len(v.Pos)-base)
	for t := first; t < len(r.out.Mat); t++ {
		_, n := r.out.Area(uint32(t))
		for k := range 3 {
			at := &r.out.Index[3*t+k]
			old, used := set[*at]
			if used && old != n {
				v.Pos, v.Nrm, v.UV0 = append(v.Pos, v.Pos[*at]), append(v.Nrm, n), append(v.UV0, v.UV0[*at])
				if r.twoUV {
					v.UV1 = append(v.UV1, v.UV1[*at])
				}
				if r.colours {
					v.Color = append(v.Color, v.Color[*at])
				}
				*at = uint32(len(v.Pos) - 1)
			}
			v.Nrm[*at] = n
			set[*at] = n
		}
	}
}
