package gltf

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	stdimage "image"
	_ "image/jpeg" // registered for image.Decode
	_ "image/png"
	"io"
	"math"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"

	_ "golang.org/x/image/webp"
	"golang.org/x/sync/errgroup"
	"willowherb/core/scene"
	"willowherb/core/trace"
	"willowherb/core/vec"
)

// Limits bound what a file may ask for. The zero value is not useful; see DefaultLimits.
type Limits struct {
	FileBytes   int64 // size of the file and of each side file
	Triangles   int64
	Vertices    int64
	Nodes       int
	Depth       int
	ImagePixels int64 // of one picture
	ImageSide   int
	TotalPixels int64 // of all pictures
	Instances   int64 // of one node
	Keys        int64 // of one animation channel
	Elements    int64 // read from accessors in all, however often the same
	Parts       int   // primitives drawn in all, each instance anew
}

// DefaultLimits are those of the application.
func DefaultLimits() Limits {
	return Limits{FileBytes: 1 << 30, Triangles: trace.MaxTriangles, Vertices: 12_000_000, Nodes: 200_000, Depth: 256,
		ImagePixels: 1 << 26, ImageSide: 16384, TotalPixels: 1 << 28, Instances: 100_000, Keys: 200_000, Elements: 150_000_000, Parts: 400_000}
}

// Error is what is wrong with a file: where, and what to do about it.
type Error struct {
	File   string
	Path   string // JSON path or byte place
	What   string
	Remedy string
}

func (e *Error) Error() string {
	s := e.File
	if e.Path != "" {
		s += ": " + e.Path
	}
	s += ": " + e.What
	if e.Remedy != "" {
		s += "; " + e.Remedy
	}
	return s
}

var supported = []string{
	"KHR_lights_punctual", "KHR_materials_emissive_strength", "KHR_materials_specular", "KHR_materials_ior",
	"KHR_materials_transmission", "KHR_materials_unlit", "KHR_texture_transform", "KHR_mesh_quantization",
	"EXT_texture_webp", "EXT_mesh_gpu_instancing",
}

// Side opens a file beside the one being read; name is a relative path without "..".
type Side func(name string) (io.ReadCloser, error)

// ReadFile reads a .glb or .gltf file. Side files are read from its folder only.
func ReadFile(ctx context.Context, path string, lim Limits) (*scene.Scene, error) {
	name := filepath.Base(path)
	f, err := os.Open(path)
	if err != nil {
		return nil, &Error{File: name, What: "cannot be opened: " + errText(err), Remedy: "check the path and its permissions"}
	}
	defer f.Close()
	if st, err := f.Stat(); err == nil && st.Size() > lim.FileBytes {
		return nil, tooLarge(name, st.Size(), lim)
	}
	data, err := io.ReadAll(io.LimitReader(f, lim.FileBytes+1))
	if err != nil {
		return nil, &Error{File: name, What: "cannot be read: " + errText(err)}
	}
	root, err := os.OpenRoot(filepath.Dir(path))
	if err != nil {
		return nil, &Error{File: name, What: "its folder cannot be opened: " + errText(err)}
	}
	defer root.Close()
	return Read(ctx, name, data, func(n string) (io.ReadCloser, error) { return root.Open(n) }, lim)
}

func errText(err error) string {
	var pe *os.PathError
	if errors.As(err, &pe) {
		return pe.Err.Error()
	}
	return err.Error()
}

func tooLarge(name string, size int64, lim Limits) *Error {
	return &Error{File: name, What: fmt.Sprintf("is %d MB, over the limit of %d MB", size>>20, lim.FileBytes>>20), Remedy: "split the level or shrink its textures"}
}

// Read reads GLB or glTF JSON. side may be nil: then side files are an error.
// Nothing of a broken file is returned.
func Read(ctx context.Context, name string, data []byte, side Side, lim Limits) (*scene.Scene, error) {
	r := &reader{ctx: ctx, file: name, side: side, lim: lim}
	s, err := r.read(data)
	if err != nil {
		return nil, err
	}
	return s, nil
}

type reader struct {
	ctx     context.Context
	file    string
	side    Side
	lim     Limits
	doc     document
	bin     []byte
	buffers [][]byte
	out     *scene.Scene
	warned  map[string]int
	pathOf  []string
	twoUV   bool
	colours bool
	// tangents tells that some primitive brings its own.
	tangents bool
	meshes   map[string]*scene.Mesh
	animated map[int]bool // nodes of the file
	origin   []int        // of each node of the scene, the file's
	numbers  map[int]int  // node of the file: node of the scene
	taken    int64        // elements so far
	made     int64        // bytes of sparse accessors so far
	parts    int          // primitives so far
}

func (r *reader) fail(path, remedy, format string, a ...any) error {
	return &Error{File: r.file, Path: path, What: fmt.Sprintf(format, a...), Remedy: remedy}
}

// maxWarned bounds the different warnings that are counted.
const maxWarned = 1000

func (r *reader) warn(format string, a ...any) {
	if len(r.warned) > maxWarned {
		return
	}
	w := fmt.Sprintf(format, a...)
	if r.warned[w]++; r.warned[w] == 1 && len(r.out.Warnings) < 200 {
		r.out.Warnings = append(r.out.Warnings, w)
	}
}

const again = "export the file again"

func (r *reader) read(data []byte) (*scene.Scene, error) {
	if int64(len(data)) > r.lim.FileBytes {
		return nil, tooLarge(r.file, int64(len(data)), r.lim)
	}
	r.out = &scene.Scene{Name: strings.TrimSuffix(r.file, filepath.Ext(r.file))}
	r.warned = map[string]int{}
	text, err := r.split(data)
	if err != nil {
		return nil, err
	}
	if err := r.survey(text); err != nil {
		return nil, err
	}
	if err := json.Unmarshal(text, &r.doc); err != nil {
		var te *json.UnmarshalTypeError
		var se *json.SyntaxError
		switch {
		case errors.As(err, &te):
			return nil, r.fail(te.Field, again, "holds a %s where a %s belongs", te.Value, te.Type)
		case errors.As(err, &se):
			return nil, r.fail(fmt.Sprintf("byte %d of the JSON", se.Offset), again, "the JSON is broken: %v", se)
		}
		return nil, r.fail("JSON", again, "cannot be understood: %v", err)
	}
	if err := r.header(); err != nil {
		return nil, err
	}
	if err := r.loadBuffers(); err != nil {
		return nil, err
	}
	if err := r.images(); err != nil {
		return nil, err
	}
	if err := r.materials(); err != nil {
		return nil, err
	}
	if err := r.nodes(); err != nil {
		return nil, err
	}
	if err := r.animations(); err != nil {
		return nil, err
	}
	if err := r.out.Finish(); err != nil {
		return nil, r.fail("", again, "%v", err)
	}
	return r.out, nil
}

// split takes a GLB apart, or passes JSON through.
func (r *reader) split(data []byte) ([]byte, error) {
	if len(data) < 4 || string(data[:4]) != "glTF" {
		if t := bytes.TrimLeft(data, "\xef\xbb\xbf \t\r\n"); len(t) > 0 && t[0] == '{' {
			return t, nil
		}
		return nil, r.fail("byte 0", "choose a .glb or .gltf file", "is neither GLB nor glTF JSON")
	}
	if len(data) < 20 {
		return nil, r.fail("header", "the file is cut short; "+again, "GLB of %d bytes has no room for its header", len(data))
	}
	if v := binary.LittleEndian.Uint32(data[4:]); v != 2 {
		return nil, r.fail("header", "export it as glTF 2.0", "is GLB version %d", v)
	}
	total := int64(binary.LittleEndian.Uint32(data[8:]))
	if total != int64(len(data)) {
		return nil, r.fail("header", "the file is cut short or damaged; "+again, "says it has %d bytes and has %d", total, len(data))
	}
	var text []byte
	for at, n := 12, 0; at < len(data); n++ {
		if len(data)-at < 8 {
			return nil, r.fail(fmt.Sprintf("chunk %d", n), again, "its header is cut short")
		}
		size := int64(binary.LittleEndian.Uint32(data[at:]))
		kind := string(data[at+4 : at+8])
		at += 8
		if size > int64(len(data)-at) {
			return nil, r.fail(fmt.Sprintf("chunk %d", n), "the file is cut short; "+again, "says it has %d bytes, %d are left", size, len(data)-at)
		}
		body := data[at : at+int(size)]
		at += int(size)
		switch {
		case n == 0 && kind != "JSON":
			return nil, r.fail("chunk 0", again, "is not JSON")
		case n == 0:
			text = body
		case n == 1 && kind == "BIN\x00":
			r.bin = body
		}
	}
	return text, nil
}

func (r *reader) header() error {
	if v := r.doc.Asset.Version; !strings.HasPrefix(v, "2.") {
		return r.fail("asset.version", "export it as glTF 2.0", "is %q", v)
	}
	for i, e := range r.doc.ExtensionsRequired {
		if !slices.Contains(supported, e) {
			return r.fail(fmt.Sprintf("extensionsRequired[%d]", i), "export without it", "the file cannot be shown without %s, which is not supported", e)
		}
	}
	for _, e := range r.doc.ExtensionsUsed {
		if !slices.Contains(supported, e) {
			r.warn("extension %s is not supported: what it says is left out", e)
		}
	}
	if n := len(r.doc.Nodes); n > r.lim.Nodes {
		return r.fail("nodes", "merge small objects", "%d nodes are over the limit of %d", n, r.lim.Nodes)
	}
	if len(r.doc.Materials) > math.MaxUint16-1 {
		return r.fail("materials", "share materials", "%d are over the limit of %d", len(r.doc.Materials), math.MaxUint16-1)
	}
	if err := r.animations(); err != nil {
		return err
	}
	if len(r.doc.Skins) > 0 {
		r.warn("%d skins are left out: figures stand in the pose of their meshes", len(r.doc.Skins))
	}
	return nil
}

func (r *reader) loadBuffers() error {
	for i, b := range r.doc.Buffers {
		at := fmt.Sprintf("buffers[%d]", i)
		if b.ByteLength < 1 || b.ByteLength > r.lim.FileBytes {
			return r.fail(at+".byteLength", "split the level", "%d bytes are over the limit of %d, or none", b.ByteLength, r.lim.FileBytes)
		}
		var data []byte
		if b.URI == "" {
			if i != 0 || r.bin == nil {
				return r.fail(at, again, "has no data: no uri, and the file has no binary chunk for it")
			}
			data = r.bin
		} else {
			var err error
			if data, err = r.uri(at+".uri", b.URI, b.ByteLength); err != nil {
				return err
			}
		}
		if int64(len(data)) < b.ByteLength {
			return r.fail(at+".byteLength", "the file is cut short; "+again, "says %d bytes, has %d", b.ByteLength, len(data))
		}
		r.buffers = append(r.buffers, data[:b.ByteLength])
	}
	return nil
}

func (r *reader) uri(at, uri string, want int64) ([]byte, error) {
	if rest, ok := strings.CutPrefix(uri, "data:"); ok {
		_, body, ok := strings.Cut(rest, ";base64,")
		if !ok {
			return nil, r.fail(at, again, "embedded data is not base64")
		}
		if want > 0 && int64(base64.StdEncoding.DecodedLen(len(body))) < want-2 {
			return nil, r.fail(at, again, "embedded data has about %d bytes, %d belong there", base64.StdEncoding.DecodedLen(len(body)), want)
		}
		data, err := base64.StdEncoding.DecodeString(body)
		if err != nil {
			return nil, r.fail(at, again, "embedded data is broken: %v", err)
		}
		return data, nil
	}
	name, err := url.PathUnescape(uri)
	if err != nil || strings.Contains(uri, "://") || !filepath.IsLocal(filepath.FromSlash(name)) {
		return nil, r.fail(at, "put the file beside this one and name it without a folder above", "%q does not lie beside the file", uri)
	}
	if r.side == nil {
		return nil, r.fail(at, "export as one GLB file", "needs the side file %q, which did not come along", name)
	}
	f, err := r.side(name)
	if err != nil {
		return nil, r.fail(at, "put the file beside this one, or export as one GLB file", "the side file %q cannot be opened: %s", name, errText(err))
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, r.lim.FileBytes+1))
	if err != nil {
		return nil, r.fail(at, "check the file", "the side file %q cannot be read: %s", name, errText(err))
	}
	if int64(len(data)) > r.lim.FileBytes {
		return nil, r.fail(at, "shrink it", "the side file %q is over the limit of %d MB", name, r.lim.FileBytes>>20)
	}
	return data, nil
}

func (r *reader) view(at string, i int) ([]byte, *bufferView, error) {
	if i < 0 || i >= len(r.doc.BufferViews) {
		return nil, nil, r.fail(at, again, "names buffer view %d of %d", i, len(r.doc.BufferViews))
	}
	v := &r.doc.BufferViews[i]
	vat := fmt.Sprintf("bufferViews[%d]", i)
	if v.Buffer < 0 || v.Buffer >= len(r.buffers) {
		return nil, nil, r.fail(vat+".buffer", again, "names buffer %d of %d", v.Buffer, len(r.buffers))
	}
	b := r.buffers[v.Buffer]
	if v.ByteOffset < 0 || v.ByteLength < 0 || v.ByteOffset > int64(len(b)) || v.ByteLength > int64(len(b))-v.ByteOffset {
		return nil, nil, r.fail(vat, again, "bytes %d to %d lie outside its buffer of %d", v.ByteOffset, v.ByteOffset+v.ByteLength, len(b))
	}
	if v.ByteStride < 0 || v.ByteStride > 252 {
		return nil, nil, r.fail(vat+".byteStride", again, "%d is not between 0 and 252", v.ByteStride)
	}
	return b[v.ByteOffset : v.ByteOffset+v.ByteLength], v, nil
}

var (
	typeSize = map[string]int{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
	compSize = map[int]int{5120: 1, 5121: 1, 5122: 2, 5123: 2, 5125: 4, 5126: 4}
)

type span struct {
	data   []byte
	stride int
	n, of  int // elements, components of each
	comp   int
	norm   bool
	whole  bool // integers that are not normalised mean themselves (KHR_mesh_quantization)
}

// maxMade bounds what sparse accessors, and those without a buffer view, stand for, in
// bytes.
const maxMade = 256 << 20

// accessor checks everything about accessor i before any memory is taken.
func (r *reader) accessor(at string, i int, limit int64, types ...string) (span, error) {
	if i < 0 || i >= len(r.doc.Accessors) {
		return span{}, r.fail(at, again, "names accessor %d of %d", i, len(r.doc.Accessors))
	}
	a := &r.doc.Accessors[i]
	at = fmt.Sprintf("accessors[%d]", i)
	if !slices.Contains(types, a.Type) {
		return span{}, r.fail(at+".type", again, "is %q where %s belongs", a.Type, strings.Join(types, " or "))
	}
	cs := compSize[a.ComponentType]
	if cs == 0 {
		return span{}, r.fail(at+".componentType", again, "%d is unknown", a.ComponentType)
	}
	if a.Count < 1 || a.Count > limit {
		return span{}, r.fail(at+".count", "split the level or reduce its detail", "%d is not between 1 and the limit of %d", a.Count, limit)
	}
	if r.taken += a.Count; r.taken > r.lim.Elements {
		return span{}, r.fail(at, "draw fewer instances of what is large", "the level reads over %d elements", r.lim.Elements)
	}
	of := typeSize[a.Type]
	stride := int64(cs * of)
	whole := span{nil, int(stride), int(a.Count), of, a.ComponentType, a.Normalized, false}
	if a.BufferView == nil || a.Sparse != nil {
		// These take memory that the file does not have.
		if r.made += a.Count * stride; r.made > maxMade {
			return span{}, r.fail(at, "export without sparse accessors", "its sparse accessors stand for over %d MB", maxMade>>20)
		}
	}
	if a.BufferView == nil {
		whole.data = make([]byte, a.Count*stride) // zeros (glTF 2.0, section 3.6.2.1)
		return whole, r.fill(at, a, &whole)
	}
	data, v, err := r.view(at+".bufferView", *a.BufferView)
	if err != nil {
		return span{}, err
	}
	if v.ByteStride != 0 {
		if v.ByteStride < stride {
			return span{}, r.fail(at, again, "elements of %d bytes lie %d apart", stride, v.ByteStride)
		}
		stride = v.ByteStride
	}
	if a.ByteOffset < 0 || a.ByteOffset > int64(len(data)) || (a.Count-1)*stride+int64(cs*of) > int64(len(data))-a.ByteOffset {
		return span{}, r.fail(at, "the file is cut short or damaged; "+again, "%d elements do not fit into a buffer view of %d bytes", a.Count, len(data))
	}
	s := whole
	s.data, s.stride = data[a.ByteOffset:], int(stride)
	if a.Sparse == nil {
		return s, nil
	}
	whole.data = make([]byte, whole.n*whole.stride)
	for i := range whole.n {
		copy(whole.data[i*whole.stride:(i+1)*whole.stride], s.data[i*s.stride:])
	}
	return whole, r.fill(at, a, &whole)
}

// fill puts a sparse accessor's values into to, which has the others (glTF 2.0, section
// 3.6.2.3).
func (r *reader) fill(at string, a *accessor, to *span) error {
	x := a.Sparse
	if x == nil {
		return nil
	}
	at += ".sparse"
	if x.Count < 1 || x.Count > a.Count {
		return r.fail(at+".count", again, "%d is not between 1 and %d", x.Count, a.Count)
	}
	part := func(at string, view int, offset, size int64) ([]byte, error) {
		data, _, err := r.view(at+".bufferView", view)
		if err == nil && (offset < 0 || offset > int64(len(data)) || x.Count*size > int64(len(data))-offset) {
			err = r.fail(at, "the file is cut short or damaged; "+again, "%d elements do not fit into a buffer view of %d bytes", x.Count, len(data))
		}
		if err != nil {
			return nil, err
		}
		return data[offset:], nil
	}
	kind := x.Indices.ComponentType
	if kind != 5121 && kind != 5123 && kind != 5125 {
		return r.fail(at+".indices.componentType", again, "%d is not an index", kind)
	}
	where, err := part(at+".indices", x.Indices.BufferView, x.Indices.ByteOffset, int64(compSize[kind]))
	if err != nil {
		return err
	}
	values, err := part(at+".values", x.Values.BufferView, x.Values.ByteOffset, int64(to.stride))
	if err != nil {
		return err
	}
	ix := span{data: where, stride: compSize[kind], n: int(x.Count), of: 1, comp: kind}
	for i := range ix.n {
		k := ix.uint(i)
		if int64(k) >= a.Count {
			return r.fail(fmt.Sprintf("%s.indices, element %d", at, i), again, "names element %d of %d", k, a.Count)
		}
		copy(to.data[int(k)*to.stride:(int(k)+1)*to.stride], values[i*to.stride:])
	}
	return nil
}

func (s *span) float(i, k int) float32 {
	p := s.data[i*s.stride+k*compSize[s.comp]:]
	if s.whole && !s.norm {
		switch s.comp {
		case 5120:
			return float32(int8(p[0]))
		case 5121:
			return float32(p[0])
		case 5122:
			return float32(int16(binary.LittleEndian.Uint16(p)))
		case 5123:
			return float32(binary.LittleEndian.Uint16(p))
		}
	}
	switch s.comp {
	case 5126:
		return math.Float32frombits(binary.LittleEndian.Uint32(p))
	case 5121:
		return float32(p[0]) / 255
	case 5123:
		return float32(binary.LittleEndian.Uint16(p)) / 65535
	case 5120:
		return max(float32(int8(p[0]))/127, -1)
	case 5122:
		return max(float32(int16(binary.LittleEndian.Uint16(p)))/32767, -1)
	}
	return float32(binary.LittleEndian.Uint32(p))
}

func (s *span) uint(i int) uint32 {
	p := s.data[i*s.stride:]
	switch s.comp {
	case 5121:
		return uint32(p[0])
	case 5123:
		return uint32(binary.LittleEndian.Uint16(p))
	}
	return binary.LittleEndian.Uint32(p)
}

func (r *reader) images() error {
	type job struct {
		at   string
		data []byte
	}
	jobs := make([]job, len(r.doc.Images))
	var total int64
	for i, im := range r.doc.Images {
		at := fmt.Sprintf("images[%d]", i)
		var data []byte
		var err error
		switch {
		case im.BufferView != nil:
			data, _, err = r.view(at+".bufferView", *im.BufferView)
		case im.URI != "":
			data, err = r.uri(at+".uri", im.URI, 0)
		default:
			err = r.fail(at, again, "has neither data nor a file")
		}
		if err != nil {
			return err
		}
		cfg, kind, err := stdimage.DecodeConfig(bytes.NewReader(data))
		if err != nil {
			return r.fail(at, "use PNG, JPEG or WebP", "cannot be read as a picture: %v", err)
		}
		px := int64(cfg.Width) * int64(cfg.Height)
		if cfg.Width < 1 || cfg.Height < 1 || cfg.Width > r.lim.ImageSide || cfg.Height > r.lim.ImageSide || px > r.lim.ImagePixels {
			return r.fail(at, "scale it down", "a %s of %d x %d is over the limit of %d a side and %d million pixels", kind, cfg.Width, cfg.Height, r.lim.ImageSide, r.lim.ImagePixels>>20)
		}
		if total += px; total > r.lim.TotalPixels {
			return r.fail(at, "scale the textures down", "all pictures together are over the limit of %d million pixels", r.lim.TotalPixels>>20)
		}
		jobs[i] = job{at, data}
	}
	pics := make([]*scene.Texture, len(jobs))
	fine := r.fine()
	g, ctx := errgroup.WithContext(r.ctx)
	g.SetLimit(2)
	for i, j := range jobs {
		g.Go(func() error {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			im, _, err := stdimage.Decode(bytes.NewReader(j.data))
			if err != nil {
				return r.fail(j.at, again, "the picture is damaged: %v", err)
			}
			pics[i] = pixels(im, fine[i])
			pics[i].Name = r.doc.Images[i].Name
			return nil
		})
	}
	if err := g.Wait(); err != nil {
		return err
	}
	for i, t := range r.doc.Textures {
		at := fmt.Sprintf("textures[%d]", i)
		src := t.Source
		if t.Extensions.WebP != nil && t.Extensions.WebP.Source != nil {
			src = t.Extensions.WebP.Source
		}
		if src == nil {
			return r.fail(at, "use PNG, JPEG or WebP pictures", "has no picture that can be read")
		}
		if *src < 0 || *src >= len(pics) {
			return r.fail(at+".source", again, "names picture %d of %d", *src, len(pics))
		}
		tex := *pics[*src]
		if t.Sampler != nil {
			if *t.Sampler < 0 || *t.Sampler >= len(r.doc.Samplers) {
				return r.fail(at+".sampler", again, "names sampler %d of %d", *t.Sampler, len(r.doc.Samplers))
			}
			s := r.doc.Samplers[*t.Sampler]
			wrap := map[int]scene.Wrap{0: scene.Repeat, 10497: scene.Repeat, 33071: scene.Clamp, 33648: scene.Mirror}
			tex.WrapS, tex.WrapT, tex.Nearest = wrap[s.WrapS], wrap[s.WrapT], s.MagFilter == 9728
		}
		r.out.Textures = append(r.out.Textures, &tex)
	}
	return nil
}

func (r *reader) texture(at string, t *textureInfo) (scene.TextureRef, error) {
	ref := scene.NoTexture()
	if t == nil {
		return ref, nil
	}
	if t.Index < 0 || t.Index >= len(r.out.Textures) {
		return ref, r.fail(at+".index", again, "names texture %d of %d", t.Index, len(r.out.Textures))
	}
	ref.Texture, ref.Set = t.Index, t.TexCoord
	if x := t.Extensions.Transform; x != nil {
		if x.TexCoord != nil {
			ref.Set = *x.TexCoord
		}
		sx, sy := 1.0, 1.0
		if len(x.Scale) == 2 {
			sx, sy = x.Scale[0], x.Scale[1]
		}
		// T * R * S of KHR_texture_transform.
		s, c := math.Sincos(x.Rotation)
		ref.A = [4]float32{float32(c * sx), float32(s * sy), float32(-s * sx), float32(c * sy)}
		if len(x.Offset) == 2 {
			ref.B = [2]float32{float32(x.Offset[0]), float32(x.Offset[1])}
		}
	}
	if ref.Set < 0 || ref.Set > 1 {
		r.warn("%s: texture coordinate set %d is left out, only 0 and 1 are read", at, ref.Set)
		ref.Set = 0
	}
	return ref, nil
}

// materials reads them field by field; it is long because a material has many.
func (r *reader) materials() error {
	var first error
	for i, m := range r.doc.Materials {
		at := fmt.Sprintf("materials[%d]", i)
		num := func(dst *float32, v *float64, lo, hi float64, path string) {
			if v == nil {
				return
			}
			if !(*v >= lo && *v <= hi) {
				r.warn("%s.%s: %g is brought into %g to %g", at, path, *v, lo, hi)
			}
			*dst = float32(min(max(*v, lo), hi))
		}
		tex := func(path string, t *textureInfo) scene.TextureRef {
			ref, err := r.texture(at+"."+path, t)
			if err != nil && first == nil {
				first = err
			}
			return ref
		}
		rgb := func(v []float64, d vec.V3, lo, hi float64, path string) vec.V3 {
			if len(v) < 3 {
				return d
			}
			var c [3]float32
			for k := range c {
				num(&c[k], &v[k], lo, hi, path)
			}
			return vec.V3{X: c[0], Y: c[1], Z: c[2]}
		}
		o := scene.DefaultMaterial()
		o.Name = m.Name
		if o.Name == "" {
			o.Name = fmt.Sprintf("material %d", i)
		}
		c := rgb(m.PBR.BaseColor, vec.Splat(1), 0, 1, "pbrMetallicRoughness.baseColorFactor")
		o.BaseColor = [4]float32{c.X, c.Y, c.Z, 1}
		if len(m.PBR.BaseColor) == 4 {
			num(&o.BaseColor[3], &m.PBR.BaseColor[3], 0, 1, "pbrMetallicRoughness.baseColorFactor")
		}
		num(&o.Metallic, m.PBR.Metallic, 0, 1, "pbrMetallicRoughness.metallicFactor")
		num(&o.Roughness, m.PBR.Roughness, 0, 1, "pbrMetallicRoughness.roughnessFactor")
		o.BaseTex = tex("pbrMetallicRoughness.baseColorTexture", m.PBR.BaseTex)
		o.MetalRoughTex = tex("pbrMetallicRoughness.metallicRoughnessTexture", m.PBR.MetalRoughTex)
		o.NormalTex = tex("normalTexture", m.NormalTex)
		if m.NormalTex != nil {
			num(&o.NormalScale, m.NormalTex.Scale, -100, 100, "normalTexture.scale")
		}
		o.OcclusionTex = tex("occlusionTexture", m.OcclusionTex)
		o.EmissiveTex = tex("emissiveTexture", m.EmissiveTex)
		strength := float32(1)
		if m.Extensions.Unlit != nil {
			r.warn("material %q is unlit in the file: it is lit here as a matt surface", m.Name)
			o.Metallic, o.Roughness = 0, 1
		}
		if x := m.Extensions.Strength; x != nil {
			num(&strength, x.Strength, 0, 1e9, "emissiveStrength")
		}
		o.Emissive = rgb(m.Emissive, vec.V3{}, 0, 1, "emissiveFactor").Scale(strength)
		if x := m.Extensions.Specular; x != nil {
			num(&o.Specular, x.Factor, 0, 1, "specularFactor")
			o.SpecularColor = rgb(x.Color, vec.Splat(1), 0, 1e4, "specularColorFactor")
			o.SpecularTex, o.SpecularColTex = tex("specularTexture", x.Tex), tex("specularColorTexture", x.ColorTex)
		}
		if x := m.Extensions.IOR; x != nil {
			num(&o.IOR, x.IOR, 1, 10, "ior")
		}
		if x := m.Extensions.Transmission; x != nil {
			num(&o.Transmission, x.Factor, 0, 1, "transmissionFactor")
			o.TransmissionTex = tex("transmissionTexture", x.Tex)
		}
		switch m.AlphaMode {
		case "", "OPAQUE":
		case "MASK":
			o.Alpha = scene.Mask
		case "BLEND":
			o.Alpha = scene.Blend
		default:
			return r.fail(at+".alphaMode", again, "%q is unknown", m.AlphaMode)
		}
		num(&o.Cutoff, m.AlphaCutoff, 0, 1e9, "alphaCutoff")
		o.DoubleSided = m.DoubleSided
		r.out.Materials = append(r.out.Materials, o)
	}
	d := scene.DefaultMaterial()
	d.Name = "no material"
	r.out.Materials = append(r.out.Materials, d)
	return first
}
