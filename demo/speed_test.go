package demo

import (
	"context"
	"fmt"
	"math"
	"math/rand/v2"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/drawn"
	"willowherb/core/film"
	"willowherb/core/filter"
	"willowherb/core/lamps"
	"willowherb/core/light"
	"willowherb/core/path"
	placing "willowherb/core/place"
	"willowherb/core/plot"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/trace"
	"willowherb/core/vec"
	"willowherb/core/world"
	"willowherb/format/gltf"
)

type ready struct {
	s     *scene.Scene
	w     *world.World
	lamps []*lamps.Lamp
	hall  setup.View
}

func prepared(b *testing.B) ready { return preparedT(b) }

// preparedT makes the place ready once for all tests: it takes seconds.
func preparedT(b testing.TB) ready {
	readyOnce.Do(func() { readyPlace = prepare(b) })
	return readyPlace
}

var (
	readyOnce  sync.Once
	readyPlace ready
)

func prepare(b testing.TB) ready {
	glb, err := Place()
	require.NoError(b, err)
	s, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(b, err)
	w, err := world.Compile(s, 2)
	require.NoError(b, err)
	st, err := lamps.Resolve(Setup(), "")
	require.NoError(b, err)
	return ready{s, w, st.Lamps(s, nil), Setup().Views["hall"]}
}

func BenchmarkImport(b *testing.B) {
	glb, err := Place()
	require.NoError(b, err)
	var n int
	for b.Loop() {
		s, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
		require.NoError(b, err)
		n = s.Triangles()
	}
	b.ReportMetric(float64(n), "triangles")
	b.ReportMetric(float64(len(glb))/(1<<20), "MB")
}

func BenchmarkCompile(b *testing.B) {
	r := prepared(b)
	for b.Loop() {
		_, err := world.Compile(r.s, 2)
		require.NoError(b, err)
	}
	b.ReportMetric(float64(r.s.Triangles()), "triangles")
	b.ReportMetric(float64(r.w.Bytes())/(1<<20), "MB")
}

// BenchmarkRays sends rays through the pump house: of the Hall view, from its
// first hits in all directions, and from them to the lantern. One core.
func BenchmarkRays(b *testing.B) {
	const wide = 8
	r := prepared(b)
	tree, err := trace.Build(r.s.V.Pos, r.s.Index, 2)
	require.NoError(b, err)
	tr := trace.NewTracer(tree)
	cam := r.hall.Camera()
	rng := rand.New(rand.NewPCG(1, 2))
	var first, bounce, shadow []trace.Ray
	const w, h = 480, 270
	for i := range w * h {
		q := trace.Ray{O: cam.Eye, D: cam.Ray(float32(i%w)+0.5, float32(i/w)+0.5, w, h), Max: 1e6}
		first = append(first, q)
		var hit trace.Hit
		if !tr.First(&q, &hit) {
			continue
		}
		p := q.O.Add(q.D.Scale(hit.T * 0.9995))
		d := vec.New(rng.NormFloat64(), rng.NormFloat64(), rng.NormFloat64()).Norm()
		bounce = append(bounce, trace.Ray{O: p, D: d, Max: 1e6})
		to := flame.Sub(p)
		shadow = append(shadow, trace.Ray{O: p, D: to.Norm(), Max: to.Len() * 0.98})
	}
	run := func(name string, rays []trace.Ray, f func(*trace.Ray)) {
		b.Run(name, func(b *testing.B) {
			for i := 0; b.Loop(); i++ {
				f(&rays[i%len(rays)])
			}
			b.ReportMetric(float64(b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
			b.ReportMetric(float64(tree.Triangles()), "triangles")
		})
	}
	// As a camera sends them: the eight rays of a pixel.
	var pixel []trace.Ray
	for i := range w * h {
		for range wide {
			pixel = append(pixel, trace.Ray{O: cam.Eye, D: cam.Ray(float32(i%w)+rng.Float32(), float32(i/w)+rng.Float32(), w, h), Max: 1e6})
		}
	}
	b.Run("first/packets", func(b *testing.B) {
		var hits [wide]trace.Hit
		for i := 0; b.Loop(); i = (i + wide) % len(pixel) {
			tr.FirstOf(pixel[i:i+wide], hits[:])
		}
		b.ReportMetric(float64(wide*b.N)/b.Elapsed().Seconds()/1e6, "Mrays/s")
	})
	var hit trace.Hit
	run("first/pixels", pixel, func(q *trace.Ray) { tr.First(q, &hit) })
	run("first/coherent", first, func(q *trace.Ray) { tr.First(q, &hit) })
	run("first/bounce", bounce, func(q *trace.Ray) { tr.First(q, &hit) })
	run("any/shadow", shadow, func(q *trace.Ray) { tr.Any(q) })
}

func (r ready) pass(w, h, bounces int, lamps []*lamps.Lamp) *path.Pass {
	p := &path.Pass{World: r.w, Camera: r.hall.Camera(), W: w, H: h, Seed: 1, Bounces: bounces, Guide: film.NewGuide(w, h)}
	for _, l := range lamps {
		p.Lights = append(p.Lights, l.Source)
		p.Layers = append(p.Layers, film.NewLayers(w, h))
	}
	return p
}

// BenchmarkCoarse is the first picture after a view opens: 240 by 135, one
// bounce, all fourteen lights, two cores.
func BenchmarkCoarse(b *testing.B) {
	r := prepared(b)
	for b.Loop() {
		require.NoError(b, r.pass(240, 135, 1, r.lamps).Run(context.Background(), 1, 2))
	}
	b.ReportMetric(float64(len(r.lamps)), "lights")
}

// BenchmarkMovedLight is one sample of one lamp's layers at full size.
func BenchmarkMovedLight(b *testing.B) {
	r := prepared(b)
	var one []*lamps.Lamp
	for _, l := range r.lamps {
		if l.ID == "lantern" {
			one = append(one, l)
		}
	}
	p := r.pass(960, 540, 0, one)
	p.Layers[0].Sparse = true
	n := 0
	for b.Loop() {
		n++
		require.NoError(b, p.Run(context.Background(), n, 2))
	}
}

// crowd adds lamps of 6 m range to the demo's, up to sixty.
func (r ready) crowd() []*lamps.Lamp {
	doc := Setup()
	for i := range 46 {
		a := float64(i) * 2.399963
		l := doc.Lights["pump-lamp-1"]
		l.Position = [3]float64{7 * math.Sin(a) * math.Sqrt(float64(i)/46), 2.5 + float64(i%4)*0.6, 3.5 * math.Cos(a) * math.Sqrt(float64(i)/46)}
		if i%2 == 0 {
			l.Kind = setup.Point
		}
		l.Range, l.Stops = 6, -3
		doc.Lights[fmt.Sprint("extra-", i)] = l
	}
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		panic(err)
	}
	return st.Lamps(r.s, nil)
}

// BenchmarkMoving is a picture for a camera in motion: 128 by 72, one bounce, two
// lights by chance at each first hit, of fourteen and of sixty.
func BenchmarkMoving(b *testing.B) {
	r := prepared(b)
	for _, lamps := range [][]*lamps.Lamp{r.lamps, r.crowd()} {
		b.Run(fmt.Sprint(len(lamps)), func(b *testing.B) {
			for b.Loop() {
				p := r.pass(128, 72, 1, lamps)
				p.Few = 2
				for _, l := range lamps {
					p.Merged = append(p.Merged, l.Gain())
				}
				p.Layers = p.Layers[:1]
				require.NoError(b, p.Run(context.Background(), 1, 2))
			}
		})
	}
}

func BenchmarkLayerSamples(b *testing.B) {
	r := prepared(b)
	const w, h = 480, 270
	p := r.pass(w, h, 0, r.lamps)
	n := 0
	for b.Loop() {
		n++
		require.NoError(b, p.Run(context.Background(), n, 2))
	}
	b.ReportMetric(float64(n*w*h)/b.Elapsed().Seconds()/1e6, "Mpaths/s")
	b.ReportMetric(float64(n*w*h*len(r.lamps))/b.Elapsed().Seconds()/1e6, "Mlayer-samples/s")
}

// BenchmarkCompose adds fourteen packed layers of 960 by 540 up, one core.
func BenchmarkCompose(b *testing.B) {
	const w, h = 960, 540
	words := make([]uint32, w*h)
	for i := range words {
		words[i] = uint32(i)*2654435761&0x7ffffff | 14<<27
	}
	out := make([]float32, 3*w*h)
	for b.Loop() {
		clear(out)
		for range 14 {
			film.Unpack(words, vec.V3{X: 1, Y: 0.8, Z: 0.6}, out)
		}
	}
}

// BenchmarkDenoise filters one layer, and sixteen at once, of 960 by 540 at four
// levels, two cores.
func BenchmarkDenoise(b *testing.B) {
	r := prepared(b)
	p := r.pass(960, 540, 1, []*lamps.Lamp{{Source: &light.Light{Kind: light.Point}}})
	require.NoError(b, p.Run(context.Background(), 1, 2))
	f := filter.New(p.Guide, p.Camera, 2)
	for _, n := range []int{1, 16} {
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			pics := make([]filter.Noisy, n)
			for i := range pics {
				pics[i] = filter.Noisy{Pic: make([]float32, 3*960*540), Levels: 4}
			}
			for b.Loop() {
				require.NoError(b, f.Apply(context.Background(), pics, 2))
			}
		})
	}
}

// BenchmarkSparse is a sample of all lamps at full size whose bounced light is
// taken in a quarter of the pixels.
func BenchmarkSparse(b *testing.B) {
	r := prepared(b)
	p := r.pass(960, 540, 0, r.lamps)
	for _, l := range p.Layers {
		l.Sparse = true
	}
	n := 0
	for b.Loop() {
		n++
		require.NoError(b, p.Run(context.Background(), n, 2))
	}
}

// BenchmarkRuntimePicture draws lights of the hall at full size as the target does.
func BenchmarkRuntimePicture(b *testing.B) {
	r := prepared(b)
	for _, id := range []string{"low-sun", "lantern", "keeper-key"} {
		b.Run(id, func(b *testing.B) {
			for _, l := range r.lamps {
				if l.ID != id {
					continue
				}
				p := &drawn.Picture{World: r.w, View: r.hall.Camera(), W: 960, H: 540, Light: l.Source, Set: l.ShadowDrawn(4), Samples: 2, Workers: 2}
				for b.Loop() {
					_, err := p.Render(context.Background())
					require.NoError(b, err)
				}
			}
		})
	}
}

// BenchmarkPlacing answers where a light has to go in the hall, at 540 rows.
func BenchmarkPlacing(b *testing.B) {
	r := prepared(b)
	p := &placing.Picture{World: r.w, View: r.hall.Camera(), Aspect: r.hall.Aspect, Rows: 540}
	l := &light.Light{Kind: light.Spot, Shadow: true, Pos: keeperAt.Add(vec.V3{X: 2, Y: 3, Z: 1}), Aim: vec.V3{Y: -1}}
	l.SetCone(0.3, 0.5)
	l.Prepare()
	for name, do := range map[string]func(){
		"highlight": func() { _, _ = placing.Highlight(p, l, 0.31, 0.86) },
		"shadow":    func() { _, _ = placing.Shadow(p, l, 0.57, 0.6, 0.4, 0.9) },
		"graze":     func() { _, _ = placing.Graze(p, l, 0.586, 0.68) },
		"opening":   func() { _, _ = placing.Opening(p, 0.862, 0.2) },
	} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				do()
			}
		})
	}
}

// BenchmarkPlot measures the keeper's plot.
func BenchmarkPlot(b *testing.B) {
	r := prepared(b)
	keeper := 0
	for i := range r.s.Objects {
		if scene.Under(r.s.Objects[i].Path, "Keeper") {
			keeper = i
			break
		}
	}
	lines, cam := 0, Setup().Views["keeper"]
	for b.Loop() {
		p := plot.Of(&plot.Input{World: r.w, Lamps: r.lamps, View: cam.Camera(), Subject: keeper})
		lines = len(p.Plan) + len(p.Section)
	}
	b.ReportMetric(float64(lines), "lines")
}
