package setup

import (
	"maps"
	"math"
	"slices"

	"willowherb/core/vec"
)

// Bake is how the level is baked.
type Bake struct {
	Density float64 `json:"density"` // texels a metre
	// Seen has fewer texels where no view and no part of the route comes near.
	Seen    bool   `json:"seen"`
	Page    int    `json:"page"`    // texels a side
	Padding int    `json:"padding"` // texels free between charts
	Format  string `json:"format"`  // bc6h, half or rgbm
	// SkyBounces bounds how many surfaces send on the light of skies; 0: as many as do.
	SkyBounces int `json:"skyBounces"`
	// Directional keeps, besides the light of a texel, how it changes as the surface tilts: for
	// normal maps.
	Directional bool `json:"directional,omitempty"`
	// Occlusion bakes, besides, how much of the sky above a texel is free of what lies nearer than
	// so many metres; 0: it is not baked.
	Occlusion float64 `json:"occlusion,omitempty"`
	// Own is a quality of the setup's own; left out, there is none.
	Own *Quality `json:"own,omitempty"`
	// Bounds are where the bake spends its samples; none: everywhere.
	Bounds map[string]Box `json:"bounds"`
	// The probe field: how far apart, at which heights over the ground, in metres.
	Apart   float64    `json:"apart"`
	Heights [3]float64 `json:"heights"` // 0: not used
	// Fill are boxes that have probes besides; Probes are set by hand.
	Fill   map[string]Box   `json:"fill"`
	Probes map[string]Probe `json:"probes"`
	// Mirrors are the reflection probes.
	Mirrors map[string]Mirror `json:"mirrors"`
}

// MaxOcclusion bounds how far occlusion looks, in metres.
const MaxOcclusion = 100

// Quality is how well is baked, in numbers.
type Quality struct {
	Density float64 `json:"density"` // times the setup's
	Least   int     `json:"least"`   // samples a texel
	Most    int     `json:"most"`
	Noise   float64 `json:"noise"`  // of a light's samples, as a share, at which they are enough
	Smooth  int     `json:"smooth"` // rounds of smoothing along surfaces
	// Cell is how small, in metres, the cells of the light cache are, which what is bounced is
	// gathered from: 0.25 to 2.
	Cell float64 `json:"cell"`
	// Links is by how many rays each point of the light cache gathers; 0: 4.
	Links int `json:"links,omitzero"`
	// Closer is by how much closer than the setup asks probes may stand where light changes; 0: 1.
	Closer int `json:"closer,omitzero"`
	// Rays of a probe, and samples of a reflection probe's pixel.
	Rays   int `json:"rays"`
	Mirror int `json:"mirror"`
}

// Box is a part of the level, upright.
type Box struct {
	Name     string     `json:"name"`
	Position [3]float64 `json:"position"` // of its middle
	Size     [3]float64 `json:"size"`     // metres
}

// Holds reports whether a place lies in the box.
func (b *Box) Holds(p vec.V3) bool {
	q := p.Array()
	for k := range q {
		if math.Abs(q[k]-b.Position[k]) > b.Size[k]/2 {
			return false
		}
	}
	return true
}

// Probe is one that was set by hand.
type Probe struct {
	Name     string     `json:"name"`
	Position [3]float64 `json:"position"`
}

// Mirror is a reflection probe: what is seen from its place stands for what is mirrored in a
// box or a sphere about it.
type Mirror struct {
	Name     string     `json:"name"`
	Position [3]float64 `json:"position"`
	Middle   [3]float64 `json:"middle"` // of the box or the sphere
	Size     [3]float64 `json:"size"`   // metres; of a sphere, its diameter in x
	Sphere   bool       `json:"sphere"`
	Pixels   int        `json:"pixels"` // down a panorama of twice that across
}

// Formats of lightmaps, with their bytes a texel.
var Formats = map[string]float64{"bc6h": 1, "half": 8, "rgbm": 4}

// StandardBake is how a setup that says nothing of it is baked.
func StandardBake() Bake {
	return Bake{Density: 12, Seen: true, Page: 1024, Padding: 2, Format: "bc6h", Apart: 1.5, Heights: [3]float64{0.5, 1.2, 1.8},
		Bounds: map[string]Box{}, Fill: map[string]Box{}, Probes: map[string]Probe{}, Mirrors: map[string]Mirror{}}
}

// Baking is how the setup is baked.
func (s *Setup) Baking() Bake {
	if s.Bake == nil {
		return StandardBake()
	}
	return *s.Bake
}

// Qualities that every setup has.
var Qualities = map[string]Quality{
	"draft":  {Density: 0.5, Least: 4, Most: 4, Noise: 0.5, Smooth: 3, Cell: 1, Links: 4, Rays: 192, Mirror: 4},
	"review": {Density: 1, Least: 16, Most: 96, Noise: 0.12, Smooth: 3, Cell: 0.25, Links: 8, Closer: 2, Rays: 1024, Mirror: 16},
	"final":  {Density: 1.5, Least: 32, Most: 512, Noise: 0.05, Smooth: 2, Cell: 0.25, Links: 16, Closer: 2, Rays: 2048, Mirror: 48},
}

const maxBoxes = 200

func (b *Bake) validate(c *checker, at string) {
	c.num(at+"/density", b.Density, 0.05, 256)
	c.ok(b.Page == 256 || b.Page == 512 || b.Page == 1024 || b.Page == 2048 || b.Page == 4096, at+"/page", "%d is not 256, 512, 1024, 2048 or 4096", b.Page)
	c.ok(b.Padding >= 1 && b.Padding <= 16, at+"/padding", "%d is not between 1 and 16", b.Padding)
	_, ok := Formats[b.Format]
	c.ok(ok, at+"/format", "%.40q is not bc6h, half or rgbm", b.Format)
	c.num(at+"/occlusion", b.Occlusion, 0, MaxOcclusion)
	c.ok(b.SkyBounces >= 0 && b.SkyBounces <= 16, at+"/skyBounces", "%d is not between 0 and 16", b.SkyBounces)
	if q := b.Own; q != nil {
		c.num(at+"/own/density", q.Density, 0.05, 8)
		c.ok(q.Least >= 1 && q.Least <= q.Most && q.Most <= 65535, at+"/own", "samples must be 1 or more, the least not over the most, and that not over 65535")
		c.num(at+"/own/noise", q.Noise, 0.001, 1)
		c.num(at+"/own/cell", q.Cell, 0.25, 2)
		c.ok(q.Closer >= 0 && q.Closer <= 8, at+"/own/closer", "%d is not between 0 and 8", q.Closer)
		c.ok(q.Links >= 0 && q.Links <= 64, at+"/own/links", "%d is not between 0 and 64", q.Links)
		c.ok(q.Rays >= 16 && q.Rays <= 65536, at+"/own/rays", "%d is not between 16 and 65536", q.Rays)
		c.ok(q.Mirror >= 1 && q.Mirror <= 4096, at+"/own/mirror", "%d is not between 1 and 4096", q.Mirror)
		c.ok(q.Smooth >= 0 && q.Smooth <= 5, at+"/own/smooth", "%d is not between 0 and 5", q.Smooth)
	}
	c.num(at+"/apart", b.Apart, 0.2, 50)
	for _, h := range b.Heights {
		c.num(at+"/heights", h, 0, 20)
	}
	boxes := func(at string, m map[string]Box) {
		c.count(at, len(m), maxBoxes)
		for _, id := range slices.Sorted(maps.Keys(m)) {
			v := m[id]
			c.id(at+"/"+id, id)
			c.name(at+"/"+id+"/name", v.Name)
			c.place(at+"/"+id+"/position", v.Position)
			for _, x := range v.Size {
				c.num(at+"/"+id+"/size", x, 0.01, 1e5)
			}
		}
	}
	boxes(at+"/bounds", b.Bounds)
	boxes(at+"/fill", b.Fill)
	c.count(at+"/probes", len(b.Probes), 2000)
	for _, id := range slices.Sorted(maps.Keys(b.Probes)) {
		v := b.Probes[id]
		c.id(at+"/probes/"+id, id)
		c.name(at+"/probes/"+id+"/name", v.Name)
		c.place(at+"/probes/"+id+"/position", v.Position)
	}
	c.count(at+"/mirrors", len(b.Mirrors), 64)
	for _, id := range slices.Sorted(maps.Keys(b.Mirrors)) {
		v := b.Mirrors[id]
		at := at + "/mirrors/" + id
		c.id(at, id)
		c.name(at+"/name", v.Name)
		c.place(at+"/position", v.Position)
		c.place(at+"/middle", v.Middle)
		for k, x := range v.Size {
			c.ok(x >= 0.01 && x <= 1e5 || v.Sphere && k > 0, at+"/size", "%g is not between 0.01 and 100000", x)
		}
		c.ok(v.Pixels >= 16 && v.Pixels <= 512, at+"/pixels", "%d is not between 16 and 512", v.Pixels)
	}
}

func (c *checker) place(at string, p [3]float64) {
	for _, v := range p {
		c.num(at, v, -1e6, 1e6)
	}
}
