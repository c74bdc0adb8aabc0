package gltf

import (
	"bytes"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"slices"

	"willowherb/core/scene"
	"willowherb/core/vec"
)

// Model is what Write turns into a GLB: meshes in named nodes, materials with
// pictures, cameras.
type Model struct {
	Materials []ModelMaterial
	Nodes     []ModelNode
	Cameras   []scene.Camera
	// Lights are written as KHR_lights_punctual, extras and all; those of kind
	// scene.Unsaid as nodes with their extras alone.
	Lights []scene.Light
	// Animations shift named nodes, which must have no Place of their own.
	Animations []ModelAnimation
}

// ModelAnimation shifts a node by metres at rising times in seconds, in straight
// lines between them.
type ModelAnimation struct {
	Name, Node string
	Times      []float32
	Shifts     []vec.V3
}

// ModelMaterial is a material; textures are encoded pictures (PNG or JPEG),
// shared by identity of their slice.
type ModelMaterial struct {
	Name                              string
	BaseColor                         [4]float64
	Metallic, Roughness               float64
	Emissive                          [3]float64
	Strength                          float64 // emissive strength; 0 means 1
	Transmission                      float64
	IOR                               float64 // 0 means 1.5
	Specular                          float64 // 0 means 1; below zero means none
	DoubleSided                       bool
	AlphaCutoff                       float64 // over 0: a mask
	BasePic, NormalPic, MetalRoughPic []byte
	EmissivePic                       []byte
	NormalScale, TextureScale         float64 // 0 means 1
}

// ModelNode is a named mesh, or a group of nodes.
type ModelNode struct {
	Name     string
	Parts    []ModelPart
	Children []ModelNode
	Place    *vec.Mat4 // nil: at the parent's
	// Camera hangs from the node, placed within it.
	Camera *scene.Camera
}

// ModelPart is an indexed triangle mesh of one material.
type ModelPart struct {
	Material int
	Pos, Nrm []vec.V3
	UV       []vec.V2
	UV1      []vec.V2 // a second set; nil for none
	Index    []uint32
	// Extras are written with the primitive; nil for none.
	Extras map[string]any
}

// Write makes a GLB. Positions are in metres; the order of everything is the
// order given, so equal models are equal bytes.
func Write(m *Model) ([]byte, error) {
	w := &writer{pics: map[*byte]int{}}
	w.doc.Asset.Version = "2.0"
	w.doc.Asset.Generator = "Willowherb"
	for i := range m.Materials {
		w.material(&m.Materials[i])
	}
	var roots []int
	for i := range m.Nodes {
		k, err := w.node(&m.Nodes[i], len(m.Materials))
		if err != nil {
			return nil, err
		}
		roots = append(roots, k)
	}
	for _, c := range m.Cameras {
		roots = append(roots, w.camera(c))
	}
	for i := range m.Lights {
		k, err := w.light(&m.Lights[i])
		if err != nil {
			return nil, err
		}
		roots = append(roots, k)
	}
	for i := range m.Animations {
		if err := w.animation(&m.Animations[i]); err != nil {
			return nil, err
		}
	}
	w.doc.Scenes = []jsonScene{{Nodes: roots}}
	zero := 0
	w.doc.Scene = &zero
	w.pad()
	if w.bin.Len() > 0 {
		w.doc.Buffers = []buffer{{ByteLength: int64(w.bin.Len())}}
	}
	text, err := json.Marshal(&w.doc)
	if err != nil {
		return nil, fmt.Errorf("gltf: writing: %w", err)
	}
	for len(text)%4 != 0 {
		text = append(text, ' ')
	}
	total := 12 + 8 + len(text)
	if w.bin.Len() > 0 {
		total += 8 + w.bin.Len()
	}
	if total > math.MaxUint32 {
		return nil, fmt.Errorf("gltf: %d bytes are over what a GLB can hold", total)
	}
	out := make([]byte, 0, total)
	le := binary.LittleEndian
	out = append(out, "glTF"...)
	out = le.AppendUint32(out, 2)
	out = le.AppendUint32(out, uint32(total))
	out = le.AppendUint32(out, uint32(len(text)))
	out = append(append(out, "JSON"...), text...)
	if w.bin.Len() > 0 {
		out = le.AppendUint32(out, uint32(w.bin.Len()))
		out = append(append(out, "BIN\x00"...), w.bin.Bytes()...)
	}
	return out, nil
}

type writer struct {
	doc  document
	bin  bytes.Buffer
	pics map[*byte]int
}

func (w *writer) pad() {
	for w.bin.Len()%4 != 0 {
		w.bin.WriteByte(0)
	}
}

func (w *writer) view(data []byte, target int) int {
	w.pad()
	w.doc.BufferViews = append(w.doc.BufferViews, bufferView{ByteOffset: int64(w.bin.Len()), ByteLength: int64(len(data)), Target: target})
	w.bin.Write(data)
	return len(w.doc.BufferViews) - 1
}

func (w *writer) uses(ext string) {
	for _, e := range w.doc.ExtensionsUsed {
		if e == ext {
			return
		}
	}
	w.doc.ExtensionsUsed = append(w.doc.ExtensionsUsed, ext)
}

func (w *writer) texture(pic []byte, scale float64) *textureInfo {
	if len(pic) == 0 {
		return nil
	}
	k, ok := w.pics[&pic[0]]
	if !ok {
		v := w.view(pic, 0)
		mime := "image/png"
		if pic[0] == 0xff {
			mime = "image/jpeg"
		}
		if len(w.doc.Samplers) == 0 {
			w.doc.Samplers = []sampler{{MagFilter: 9729, MinFilter: 9987, WrapS: 10497, WrapT: 10497}}
		}
		zero, im := 0, len(w.doc.Images)
		w.doc.Images = append(w.doc.Images, image{BufferView: &v, MimeType: mime})
		k = len(w.doc.Textures)
		w.doc.Textures = append(w.doc.Textures, texture{Source: &im, Sampler: &zero})
		w.pics[&pic[0]] = k
	}
	t := &textureInfo{Index: k}
	if scale != 0 && scale != 1 {
		w.uses("KHR_texture_transform")
		t.Extensions.Transform = &textureTransform{Scale: []float64{scale, scale}}
	}
	return t
}

func (w *writer) material(m *ModelMaterial) {
	var o material
	o.Name, o.DoubleSided = m.Name, m.DoubleSided
	o.PBR.BaseColor = m.BaseColor[:]
	metal, rough := m.Metallic, m.Roughness
	o.PBR.Metallic, o.PBR.Roughness = &metal, &rough
	o.PBR.BaseTex = w.texture(m.BasePic, m.TextureScale)
	o.PBR.MetalRoughTex = w.texture(m.MetalRoughPic, m.TextureScale)
	if o.NormalTex = w.texture(m.NormalPic, m.TextureScale); o.NormalTex != nil && m.NormalScale != 0 {
		s := m.NormalScale
		o.NormalTex.Scale = &s
	}
	o.EmissiveTex = w.texture(m.EmissivePic, m.TextureScale)
	if m.Emissive != [3]float64{} {
		o.Emissive = m.Emissive[:]
		if m.Strength > 0 && m.Strength != 1 {
			w.uses("KHR_materials_emissive_strength")
			s := m.Strength
			o.Extensions.Strength = &struct {
				Strength *float64 `json:"emissiveStrength,omitempty"`
			}{&s}
		}
	}
	if m.Transmission > 0 {
		w.uses("KHR_materials_transmission")
		v := m.Transmission
		o.Extensions.Transmission = &struct {
			Factor *float64     `json:"transmissionFactor,omitempty"`
			Tex    *textureInfo `json:"transmissionTexture,omitempty"`
		}{Factor: &v}
	}
	if m.IOR > 0 {
		w.uses("KHR_materials_ior")
		v := m.IOR
		o.Extensions.IOR = &struct {
			IOR *float64 `json:"ior,omitempty"`
		}{&v}
	}
	if m.Specular != 0 {
		w.uses("KHR_materials_specular")
		v := max(m.Specular, 0)
		o.Extensions.Specular = &struct {
			Factor   *float64     `json:"specularFactor,omitempty"`
			Color    []float64    `json:"specularColorFactor,omitempty"`
			Tex      *textureInfo `json:"specularTexture,omitempty"`
			ColorTex *textureInfo `json:"specularColorTexture,omitempty"`
		}{Factor: &v}
	}
	if m.AlphaCutoff > 0 {
		v := m.AlphaCutoff
		o.AlphaMode, o.AlphaCutoff = "MASK", &v
	}
	w.doc.Materials = append(w.doc.Materials, o)
}

func (w *writer) node(n *ModelNode, materials int) (int, error) {
	at := len(w.doc.Nodes)
	w.doc.Nodes = append(w.doc.Nodes, node{Name: n.Name})
	if n.Place != nil {
		w.doc.Nodes[at].Matrix = n.Place[:]
	}
	if len(n.Parts) > 0 {
		k := len(w.doc.Meshes)
		w.doc.Meshes = append(w.doc.Meshes, mesh{Name: n.Name})
		for i := range n.Parts {
			p := &n.Parts[i]
			if p.Material < 0 || p.Material >= materials || len(p.Index) == 0 || len(p.Nrm) != len(p.Pos) || len(p.UV) != len(p.Pos) {
				return 0, fmt.Errorf("gltf: part %d of %q does not fit together", i, n.Name)
			}
			w.doc.Meshes[k].Primitives = append(w.doc.Meshes[k].Primitives, w.primitive(p))
		}
		w.doc.Nodes[at].Mesh = &k
	}
	for i := range n.Children {
		k, err := w.node(&n.Children[i], materials)
		if err != nil {
			return 0, err
		}
		w.doc.Nodes[at].Children = append(w.doc.Nodes[at].Children, k)
	}
	if n.Camera != nil {
		w.doc.Nodes[at].Children = append(w.doc.Nodes[at].Children, w.camera(*n.Camera))
	}
	return at, nil
}

func (w *writer) accessor(a accessor, data []byte, target int) int {
	v := w.view(data, target)
	a.BufferView = &v
	w.doc.Accessors = append(w.doc.Accessors, a)
	return len(w.doc.Accessors) - 1
}

// three writes vectors as floats.
func three(vs []vec.V3) []byte {
	le := binary.LittleEndian
	b := make([]byte, 0, 12*len(vs))
	for _, v := range vs {
		b = le.AppendUint32(b, math.Float32bits(v.X))
		b = le.AppendUint32(b, math.Float32bits(v.Y))
		b = le.AppendUint32(b, math.Float32bits(v.Z))
	}
	return b
}

func (w *writer) animation(a *ModelAnimation) error {
	n := slices.IndexFunc(w.doc.Nodes, func(n node) bool { return n.Name == a.Node })
	if n < 0 || len(w.doc.Nodes[n].Matrix) > 0 || len(a.Times) < 2 || len(a.Shifts) != len(a.Times) {
		return fmt.Errorf("gltf: animation %q does not fit node %q", a.Name, a.Node)
	}
	var times []byte
	for _, t := range a.Times {
		times = binary.LittleEndian.AppendUint32(times, math.Float32bits(t))
	}
	count := int64(len(a.Times))
	lo, hi := []float64{float64(a.Times[0])}, []float64{float64(a.Times[count-1])}
	var o animation
	o.Name = a.Name
	o.Samplers = []animationSampler{{
		Input:  w.accessor(accessor{ComponentType: 5126, Count: count, Type: "SCALAR", Min: lo, Max: hi}, times, 0),
		Output: w.accessor(accessor{ComponentType: 5126, Count: count, Type: "VEC3"}, three(a.Shifts), 0),
	}}
	o.Channels = make([]animationChannel, 1)
	o.Channels[0].Target.Node, o.Channels[0].Target.Path = &n, "translation"
	w.doc.Animations = append(w.doc.Animations, o)
	return nil
}

func (w *writer) primitive(p *ModelPart) primitive {
	le := binary.LittleEndian
	const vertices, indices = 34962, 34963
	lo, hi := p.Pos[0], p.Pos[0]
	for _, v := range p.Pos {
		lo, hi = vec.Min3(lo, v), vec.Max3(hi, v)
	}
	f := func(v vec.V3) []float64 { return []float64{float64(v.X), float64(v.Y), float64(v.Z)} }
	n := int64(len(p.Pos))
	uv := make([]byte, 0, 8*len(p.UV))
	for _, v := range p.UV {
		uv = le.AppendUint32(uv, math.Float32bits(v.X))
		uv = le.AppendUint32(uv, math.Float32bits(v.Y))
	}
	var ix []byte
	comp := 5125
	if len(p.Pos) <= math.MaxUint16 {
		comp = 5123
		for _, i := range p.Index {
			ix = le.AppendUint16(ix, uint16(i))
		}
	} else {
		for _, i := range p.Index {
			ix = le.AppendUint32(ix, i)
		}
	}
	out := primitive{Attributes: map[string]int{
		"POSITION":   w.accessor(accessor{ComponentType: 5126, Count: n, Type: "VEC3", Min: f(lo), Max: f(hi)}, three(p.Pos), vertices),
		"NORMAL":     w.accessor(accessor{ComponentType: 5126, Count: n, Type: "VEC3"}, three(p.Nrm), vertices),
		"TEXCOORD_0": w.accessor(accessor{ComponentType: 5126, Count: n, Type: "VEC2"}, uv, vertices),
	}}
	if len(p.UV1) > 0 {
		var second []byte
		for _, t := range p.UV1 {
			second = le.AppendUint32(le.AppendUint32(second, math.Float32bits(t.X)), math.Float32bits(t.Y))
		}
		out.Attributes["TEXCOORD_1"] = w.accessor(accessor{ComponentType: 5126, Count: n, Type: "VEC2"}, second, vertices)
	}
	if p.Extras != nil {
		extras, err := json.Marshal(p.Extras)
		if err != nil {
			panic(err) // plain data always marshals
		}
		out.Extras = extras
	}
	k := w.accessor(accessor{ComponentType: comp, Count: int64(len(p.Index)), Type: "SCALAR"}, ix, indices)
	m := p.Material
	out.Indices, out.Material = &k, &m
	return out
}

// light writes a node that shines along its own -Z.
func (w *writer) light(l *scene.Light) (int, error) {
	n := node{Name: l.Name}
	if l.Kind == scene.Unsaid {
		b, err := json.Marshal(l.Extras)
		if err != nil {
			return 0, fmt.Errorf("gltf: light %q: %w", l.Name, err)
		}
		n.Extras = b
		w.doc.Nodes = append(w.doc.Nodes, n)
		return len(w.doc.Nodes) - 1, nil
	}
	w.uses("KHR_lights_punctual")
	o := punctual{Name: l.Name, Type: string(l.Kind), Color: l.Color[:], Intensity: &l.Intensity, Extras: l.Extras}
	switch l.Kind {
	case scene.Sun:
		o.Type = "directional"
	case scene.Spot:
		inner, outer := l.Inner, min(l.Outer, math.Pi/2)
		o.Spot = &struct {
			Inner *float64 `json:"innerConeAngle,omitempty"`
			Outer *float64 `json:"outerConeAngle,omitempty"`
		}{&inner, &outer}
	}
	if l.Range > 0 {
		o.Range = &l.Range
	}
	if w.doc.Extensions.Lights == nil {
		w.doc.Extensions.Lights = &struct {
			Lights []punctual `json:"lights"`
		}{}
	}
	k := len(w.doc.Extensions.Lights.Lights)
	w.doc.Extensions.Lights.Lights = append(w.doc.Extensions.Lights.Lights, o)
	n.Extensions.Light = &struct {
		Light int `json:"light"`
	}{k}
	aim := l.Aim.Norm()
	if aim == (vec.V3{}) {
		aim = vec.V3{Z: -1}
	}
	m := frameOf(aim.Neg(), l.Up, l.Position)
	n.Matrix = m[:]
	w.doc.Nodes = append(w.doc.Nodes, n)
	return len(w.doc.Nodes) - 1, nil
}

// frameOf is the matrix of a node at pos whose +Z is the unit z and whose +Y is as
// near to up as can be.
func frameOf(z, up, pos vec.V3) (m [16]float64) {
	x := up.Cross(z).Norm()
	if x == (vec.V3{}) {
		x, _ = vec.Basis(z)
	}
	y := z.Cross(x)
	f := func(v vec.V3) (a, b, c float64) { return float64(v.X), float64(v.Y), float64(v.Z) }
	m[0], m[1], m[2] = f(x)
	m[4], m[5], m[6] = f(y)
	m[8], m[9], m[10] = f(z)
	m[12], m[13], m[14] = f(pos)
	m[15] = 1
	return m
}

func (w *writer) camera(c scene.Camera) int {
	var o camera
	o.Name, o.Type = c.Name, "perspective"
	o.Perspective = &struct {
		AspectRatio float64  `json:"aspectRatio,omitempty"`
		YFov        float64  `json:"yfov"`
		ZNear       float64  `json:"znear"`
		ZFar        *float64 `json:"zfar,omitempty"`
	}{AspectRatio: c.Aspect, YFov: c.FovY, ZNear: 0.05}
	k := len(w.doc.Cameras)
	w.doc.Cameras = append(w.doc.Cameras, o)
	m := frameOf(c.Aim.Norm().Neg(), c.Up, c.Eye)
	w.doc.Nodes = append(w.doc.Nodes, node{Name: c.Name, Camera: &k, Matrix: m[:]})
	return len(w.doc.Nodes) - 1
}
