package lightmap

import (
	"willowherb/core/probes"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Version of the format.
const Version = 1

// Limits of a bake that is read.
const (
	maxPages     = 256
	maxLights    = 500
	maxSide      = 8192
	maxTriangles = 20_000_000
	maxProbes    = 50_000
	maxFile      = 1 << 30
	maxTexels    = 1 << 28 // of all layers
)

// Bake is what bake.json says.
type Bake struct {
	Version int           `json:"version"`
	File    string        `json:"file"` // that was baked
	Setup   string        `json:"setup"`
	Look    string        `json:"look,omitempty"`
	Place   string        `json:"place"` // names all that the bake depends on besides lights
	Quality string        `json:"quality"`
	Numbers setup.Quality `json:"numbers"`
	Format  string        `json:"format"`
	Pages   []Page        `json:"pages"`
	Lights  []Light       `json:"lights"`
	Objects []Object      `json:"objects"`
	// Left are the objects that are not in the map.
	Left    []Left   `json:"left"`
	Texels  int      `json:"texels"`
	Samples int64    `json:"samples"`
	Noise   float64  `json:"noise"`
	Seconds float64  `json:"seconds"`
	MB      float64  `json:"mb"`       // on the target, in its format
	LayerMB float64  `json:"layersMB"` // of the layers by light, as halves
	Filled  float64  `json:"filled"`   // share of the pages that lies on surfaces
	Padded  float64  `json:"padded"`   // with the padding that they need
	Mirrors []Mirror `json:"mirrors"`
	Probes  int      `json:"probes"`
}

// Page is one of the map's.
type Page struct {
	W    int    `json:"width"`
	H    int    `json:"height"`
	File string `json:"file"`
	// Lean is the file of how light changes as surfaces tilt, Open that of occlusion; empty where
	// they are not baked.
	Lean string `json:"lean,omitempty"`
	Open string `json:"occlusion,omitempty"`
}

// Light is one that is in the map.
type Light struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	// Gain is what its layers were multiplied by for the sum, per colour.
	Gain [3]float64 `json:"gain"`
	// Whole tells that its direct light is in the map too.
	Whole bool `json:"whole"`
	// Files are its pages; empty where it gives nothing.
	Files []string `json:"files"`
	Key   string   `json:"key"`
}

// Object is one that is in the map.
type Object struct {
	Path      string  `json:"path"`
	Triangles int     `json:"triangles"`
	Density   float64 `json:"density"` // texels a metre, where it is seen from near
	Texels    int     `json:"texels"`
	Charts    int     `json:"charts"`
	Noise     float64 `json:"noise"`
	Buried    int     `json:"buried"` // texels that lie in something solid
	Thin      int     `json:"thin"`   // texels with something thinner than a texel beside them
}

// Left is an object that is not in the map, with the reason.
type Left struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// Mirror is a reflection probe of the bake.
type Mirror struct {
	ID string `json:"id"`
	setup.Mirror
	File   string            `json:"file"`
	Lights map[string]string `json:"lights"` // files by light
}

// Charts are the corners of an object's triangles on the pages.
type Charts struct {
	Path string
	// Page of each triangle, or -1; Corners are three a triangle, as shares of the page's width
	// and height from its top left.
	Page    []int16
	Corners []vec.V2
}

// Delivered is a bake that was read.
type Delivered struct {
	Bake
	Charts []Charts
	// Layers are the pages of each light at unit output; nil for nothing.
	Layers [][][]float32
	// Leans and Opens are the pages of slopes (bake.Result.Lean) and of occlusion; nil for none.
	Leans, Opens [][]float32
	Field        *probes.Field

	at map[string]*Charts
}

// Of is where an object's triangles lie; nil where it is not in the map.
func (d *Delivered) Of(path string) *Charts {
	if d.at == nil {
		d.at = map[string]*Charts{}
		for i := range d.Charts {
			d.at[d.Charts[i].Path] = &d.Charts[i]
		}
	}
	return d.at[path]
}

// At is what each light gives to a place of an object's triangle, in lux at unit output, with
// the page and the place on it in texels; false where it is not in the map.
func (d *Delivered) At(c *Charts, triangle int, u, v float32) (lux []vec.V3, page int, x, y float32, ok bool) {
	if c == nil || triangle < 0 || triangle >= len(c.Page) || c.Page[triangle] < 0 {
		return nil, 0, 0, 0, false
	}
	page = int(c.Page[triangle])
	g := d.Pages[page]
	k := c.Corners[3*triangle : 3*triangle+3]
	w := 1 - u - v
	x = (w*k[0].X+u*k[1].X+v*k[2].X)*float32(g.W) - 0.5
	y = (w*k[0].Y+u*k[1].Y+v*k[2].Y)*float32(g.H) - 0.5
	lux = make([]vec.V3, len(d.Lights))
	for i, layer := range d.Layers {
		if layer != nil && layer[page] != nil {
			lux[i] = between(layer[page], g.W, g.H, x, y)
		}
	}
	return lux, page, x, y, true
}

// between is a picture between its texels' middles.
func between(rgb []float32, w, h int, x, y float32) vec.V3 {
	x, y = min(max(x, 0), float32(w-1)), min(max(y, 0), float32(h-1))
	i, j := min(int(x), w-1), min(int(y), h-1)
	a, b := x-float32(i), y-float32(j)
	px := func(i, j int) vec.V3 {
		p := rgb[3*(min(j, h-1)*w+min(i, w-1)):]
		return vec.V3{X: p[0], Y: p[1], Z: p[2]}
	}
	return vec.Lerp(vec.Lerp(px(i, j), px(i+1, j), a), vec.Lerp(px(i, j+1), px(i+1, j+1), a), b)
}

// Gains are the lights' own.
func (d *Delivered) Gains() (out []vec.V3) {
	for i := range d.Lights {
		out = append(out, vec.Of(d.Lights[i].Gain))
	}
	return out
}

// Texel is how wide a texel is at a triangle with these corners in the place, in metres.
func (d *Delivered) Texel(c *Charts, triangle int, p [3]vec.V3) float64 {
	g := d.Pages[c.Page[triangle]]
	k := c.Corners[3*triangle : 3*triangle+3]
	var widest float64
	for i := range 3 {
		j := (i + 1) % 3
		x, y := (k[j].X-k[i].X)*float32(g.W), (k[j].Y-k[i].Y)*float32(g.H)
		if l := vec.New(float64(x), float64(y), 0).Len(); l > 1e-4 {
			widest = max(widest, float64(p[j].Sub(p[i]).Len()/l))
		}
	}
	return widest
}

// Sum is the pages with the lights at some gains.
func (d *Delivered) Sum(gains []vec.V3) [][]float32 {
	var out [][]float32
	for p, g := range d.Pages {
		sum := make([]float32, 3*g.W*g.H)
		for l, layer := range d.Layers {
			k := gains[l]
			if layer == nil || k == (vec.V3{}) {
				continue
			}
			y := layer[p]
			for i := 0; i < len(sum); i += 3 {
				sum[i] += k.X * y[i]
				sum[i+1] += k.Y * y[i+1]
				sum[i+2] += k.Z * y[i+2]
			}
		}
		out = append(out, sum)
	}
	return out
}

// Summed is what summed pages hold at a place of an object's triangle; false where it is not
// in the map.
func (d *Delivered) Summed(pages [][]float32, c *Charts, triangle int, u, v float32) (vec.V3, bool) {
	if c == nil || triangle < 0 || triangle >= len(c.Page) || c.Page[triangle] < 0 {
		return vec.V3{}, false
	}
	page := int(c.Page[triangle])
	g := d.Pages[page]
	k := c.Corners[3*triangle : 3*triangle+3]
	w := 1 - u - v
	x := (w*k[0].X+u*k[1].X+v*k[2].X)*float32(g.W) - 0.5
	y := (w*k[0].Y+u*k[1].Y+v*k[2].Y)*float32(g.H) - 0.5
	return between(pages[page], g.W, g.H, x, y), true
}
