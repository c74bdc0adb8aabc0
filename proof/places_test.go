package proof

import (
	"context"
	"math"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/demo"
	"willowherb/format/gltf"
)

// Size of the reference pictures.
const wide, high = 160, 90

// place is something to look at: lights with what each is multiplied by.
type place struct {
	name   string
	world  *world.World
	lights []*light.Light
	gains  []vec.V3
	camera world.Camera
	ev     float64
}

func (p *place) develop() func(float64) float64 { return exposure.Display(exposure.Shoulder, p.ev) }

// places makes the eight places ready, once for all tests.
func places(t testing.TB) []*place {
	made.Do(func() {
		house := pumpHouse(t)
		all = append(house, wetFloor(t), window(t), leaves(t))
	})
	require.Len(t, all, 8)
	return all
}

var (
	made sync.Once
	all  []*place
)

func pumpHouse(t testing.TB) (out []*place) {
	glb, err := demo.Place()
	require.NoError(t, err)
	s, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	w, err := world.Compile(s, 2)
	require.NoError(t, err)
	doc := demo.Setup()
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	lamps := st.Lamps(s, nil)
	for _, id := range doc.SortedViews() {
		v := doc.Views[id]
		p := &place{name: id, world: w, camera: v.Camera(), ev: v.EV}
		for _, l := range lamps {
			p.lights, p.gains = append(p.lights, l.Source), append(p.gains, l.Gain())
		}
		out = append(out, p)
	}
	return out
}

// add puts a light into a place at a gain.
func (p *place) add(l light.Light, gain vec.V3) {
	l.ID = uint64(len(p.lights) + 1)
	l.Shadow, l.Channels = true, 0xff
	l.Prepare()
	p.lights, p.gains = append(p.lights, &l), append(p.gains, gain)
}

func material(base vec.V3, metal, rough float32) scene.Material {
	m := scene.DefaultMaterial()
	m.BaseColor = [4]float32{base.X, base.Y, base.Z, 1}
	m.Metallic, m.Roughness = metal, rough
	return m
}

// wetFloor is a room with a mirror of brass and a floor that shines, under a panel
// flush with the ceiling and a tube.
func wetFloor(t testing.TB) *place {
	g := scenetest.Room(material(vec.Splat(0.55), 0, 0.8))
	g.S.Materials = append(g.S.Materials, material(vec.V3{X: 0.06, Y: 0.05, Z: 0.04}, 0, 0.12), material(vec.V3{X: 0.9, Y: 0.7, Z: 0.4}, 1, 0.15), material(vec.V3{X: 0.6, Y: 0.1, Z: 0.05}, 0, 0.5))
	scenetest.Quad(g.S, 1, vec.V3{Y: 1}, vec.V3{X: -2, Y: -1.99, Z: -2}, vec.V3{X: 2, Y: -1.99, Z: -2}, vec.V3{X: 2, Y: -1.99, Z: 2}, vec.V3{X: -2, Y: -1.99, Z: 2})
	scenetest.Quad(g.S, 2, vec.V3{X: 1}, vec.V3{X: -1.95, Y: -1.5, Z: -1.5}, vec.V3{X: -1.95, Y: -1.5, Z: 0.5}, vec.V3{X: -1.95, Y: 1, Z: 0.5}, vec.V3{X: -1.95, Y: 1, Z: -1.5})
	g.S.Objects[0].Count = len(g.S.Mat)
	for _, c := range []vec.V3{{X: 0.6, Y: -1.5, Z: -0.6}, {X: -0.6, Y: -1.6, Z: -1.2}} {
		g.Box("box", c, 0.4)
		for i := len(g.S.Mat) - 12; i < len(g.S.Mat); i++ {
			g.S.Mat[i] = 3
		}
	}
	p := &place{name: "wet-floor", world: g.World(t), camera: world.Camera{Eye: vec.V3{X: 0.6, Y: 0.1, Z: 1.8}, Aim: vec.V3{X: -0.35, Y: -0.45, Z: -1}, Up: vec.V3{Y: 1}, FovY: 1.05}, ev: 4.5}
	p.add(light.Light{Kind: light.Rect, Pos: vec.V3{X: 0.5, Y: 2, Z: -0.5}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, W: 0.8, H: 0.4}, vec.V3{X: 60, Y: 55, Z: 50})
	p.add(light.Light{Kind: light.Tube, Pos: vec.V3{X: -1, Y: 0.8, Z: -1.8}, Aim: vec.V3{Y: -1}, U: vec.V3{X: 1}, V: vec.V3{Z: 1}, Radius: 0.03, Length: 1.2}, vec.V3{X: 2, Y: 3, Z: 5})
	return p
}

// window is a white room with one small window, through which sky and sun come.
func window(t testing.TB) *place {
	g := scenetest.New()
	g.S.Materials = []scene.Material{material(vec.Splat(0.75), 0, 0.9), material(vec.V3{X: 0.3, Y: 0.2, Z: 0.12}, 0, 0.4)}
	p3 := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	g.Add("floor", 1, [4]vec.V3{p3(-3, 0, 2), p3(3, 0, 2), p3(3, 0, -2), p3(-3, 0, -2)})
	g.Add("ceiling", 0, [4]vec.V3{p3(-3, 2.6, -2), p3(3, 2.6, -2), p3(3, 2.6, 2), p3(-3, 2.6, 2)})
	g.Add("back", 0, [4]vec.V3{p3(-3, 0, -2), p3(3, 0, -2), p3(3, 2.6, -2), p3(-3, 2.6, -2)})
	g.Add("front", 0, [4]vec.V3{p3(3, 0, 2), p3(-3, 0, 2), p3(-3, 2.6, 2), p3(3, 2.6, 2)})
	g.Add("left", 0, [4]vec.V3{p3(-3, 0, 2), p3(-3, 0, -2), p3(-3, 2.6, -2), p3(-3, 2.6, 2)})
	// The right wall in four, round a window of 0.7 by 0.9 m.
	for _, q := range [][4]float32{{-2, 2, 0, 1}, {-2, 2, 1.9, 2.6}, {-2, -0.35, 1, 1.9}, {0.35, 2, 1, 1.9}} {
		g.Add("right", 0, [4]vec.V3{p3(3, q[2], q[0]), p3(3, q[2], q[1]), p3(3, q[3], q[1]), p3(3, q[3], q[0])})
	}
	g.Box("box", p3(-1, 0.4, -0.6), 0.4)
	p := &place{name: "window", world: g.World(t), camera: world.Camera{Eye: p3(2.2, 1.5, 1.7), Aim: p3(-1, -0.2, -0.75), Up: vec.V3{Y: 1}, FovY: 1}, ev: 4.5}
	p.add(light.Light{Kind: light.Sky, Gradient: light.Gradient{Zenith: vec.V3{X: 0.5, Y: 0.8, Z: 1.4}, Horizon: vec.Splat(1.2), Ground: vec.Splat(0.2), Falloff: 0.7}}, vec.Splat(150))
	sun := light.Light{Kind: light.Sun, Aim: vec.V3{X: -0.8, Y: -0.45, Z: -0.2}}
	sun.SetSunAngle(0.53)
	p.add(sun, vec.V3{X: 700, Y: 640, Z: 520})
	return p
}

// leaves is a yard at night: a spot through cut-out leaves, two sheets of gauze, a
// green pane of glass before a ball, and a sign that shines through a mask.
func leaves(t testing.TB) *place {
	g := scenetest.New()
	s := g.S
	const n = 64
	dots := &scene.Texture{W: n, H: n, Pix: make([]uint8, 4*n*n)}
	for i := range n * n {
		x, y := float64(i%n)/n*4, float64(i/n)/n*4
		x, y = x-math.Floor(x)-0.5, y-math.Floor(y)-0.5
		c := [4]uint8{255, 255, 255, 0}
		if x*x+y*y < 0.14 {
			c[3] = 255
		}
		copy(dots.Pix[4*i:], c[:])
	}
	s.Textures = []*scene.Texture{dots}
	ref := scene.NoTexture()
	ref.Texture = 0
	leaf := material(vec.V3{X: 0.2, Y: 0.4, Z: 0.1}, 0, 0.6)
	leaf.Alpha, leaf.BaseTex, leaf.DoubleSided = scene.Mask, ref, true
	gauze := material(vec.Splat(0.8), 0, 0.9)
	gauze.Alpha, gauze.BaseColor[3], gauze.DoubleSided = scene.Blend, 0.4, true
	glass := material(vec.V3{X: 0.3, Y: 0.9, Z: 0.5}, 0, 0)
	glass.Transmission, glass.DoubleSided = 1, true
	sign := leaf
	sign.Emissive, sign.BaseColor = vec.Splat(1), [4]float32{0.1, 0.1, 0.1, 1}
	s.Materials = append(s.Materials, leaf, gauze, glass, sign)
	p3 := func(x, y, z float32) vec.V3 { return vec.V3{X: x, Y: y, Z: z} }
	card := func(name string, mat uint16, q [4]vec.V3) {
		g.Add(name, mat, q)
		uv := s.V.UV0[len(s.V.UV0)-4:]
		copy(uv, []vec.V2{{X: 0, Y: 1}, {X: 1, Y: 1}, {X: 1, Y: 0}, {X: 0, Y: 0}})
	}
	g.Floor(6)
	g.Add("wall", 0, [4]vec.V3{p3(-6, 0, -3), p3(6, 0, -3), p3(6, 4, -3), p3(-6, 4, -3)})
	card("leaves", 1, [4]vec.V3{p3(-2.2, 1.5, 0.6), p3(-0.4, 1.5, 0.6), p3(-0.4, 1.9, -0.8), p3(-2.2, 1.9, -0.8)})
	card("gauze", 2, [4]vec.V3{p3(-0.4, 0, -1.4), p3(1.4, 0, -1.4), p3(1.4, 2.2, -1.4), p3(-0.4, 2.2, -1.4)})
	card("gauze", 2, [4]vec.V3{p3(0.2, 0, -1.2), p3(2, 0, -1.2), p3(2, 2.2, -1.2), p3(0.2, 2.2, -1.2)})
	card("pane", 3, [4]vec.V3{p3(2.2, 0, -1.6), p3(3.4, 0, -1.6), p3(3.4, 1.8, -1.6), p3(2.2, 1.8, -1.6)})
	card("sign", 4, [4]vec.V3{p3(-3.4, 2, -2.9), p3(-2, 2, -2.9), p3(-2, 2.8, -2.9), p3(-3.4, 2.8, -2.9)})
	first := len(s.Mat) - 2
	g.Box("box", p3(-1, 0.3, -1.2), 0.3)
	p := &place{name: "leaves", world: g.World(t), camera: world.Camera{Eye: p3(0.3, 1.5, 3.6), Aim: p3(-0.05, -0.15, -1), Up: vec.V3{Y: 1}, FovY: 0.95}, ev: 2}
	spot := light.Light{Kind: light.Spot, Pos: p3(-1.6, 3.6, 0.6), Aim: p3(0.1, -1, -0.25), Radius: 0.05}
	spot.SetCone(0.3, 0.55)
	p.add(spot, vec.V3{X: 60, Y: 56, Z: 48})
	p.add(light.Light{Kind: light.Point, Pos: p3(2.8, 0.9, -2.1), Radius: 0.08}, vec.V3{X: 4, Y: 3.5, Z: 2.4})
	neon := light.Light{Kind: light.Emissive}
	neon.SetTriangles(s, []uint32{uint32(first), uint32(first + 1)})
	p.add(neon, vec.V3{X: 14, Y: 3, Z: 2})
	return p
}
