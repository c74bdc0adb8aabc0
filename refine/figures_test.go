package refine_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/blob"
	"willowherb/blob/blobtest"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/demo"
	"willowherb/format/gltf"
	"willowherb/refine"
	"willowherb/stage"
)

// TestFigures measures the server's part of the working bench for
// docs/performance.md: the demo, the demo with sixty lights, and the demo cut into
// a million triangles. It runs when WILLOWHERB_FIGURES is set, and asserts nothing
// by the clock.
func TestFigures(t *testing.T) {
	if os.Getenv("WILLOWHERB_FIGURES") == "" {
		t.Skip("WILLOWHERB_FIGURES is not set")
	}
	place, err := demo.Place()
	require.NoError(t, err)
	many := demo.Setup()
	for i := range 46 {
		a := float64(i) * 2.399963
		l := many.Lights["pump-lamp-1"]
		l.Name, l.Order = fmt.Sprint("Extra ", i), float64(100+i)
		l.Position = [3]float64{7 * math.Sin(a) * math.Sqrt(float64(i)/46), 2.5 + float64(i%4)*0.6, 3.5 * math.Cos(a) * math.Sqrt(float64(i)/46)}
		if i%2 == 0 {
			l.Kind = setup.Point
		}
		l.Range, l.Stops = 6, -3
		many.Lights[fmt.Sprint("extra-", i)] = l
	}
	for _, c := range []struct {
		name string
		glb  []byte
		doc  *setup.Setup
	}{{"demo", place, demo.Setup()}, {"60 lights", place, many}, {"1,000,000 triangles", cut(t, place), demo.Setup()}} {
		t.Run(c.name, func(t *testing.T) { figures(t, c.glb, c.doc) })
	}
}

// cut splits every triangle of a GLB into three at its middle.
func cut(t *testing.T, glb []byte) []byte {
	s, err := gltf.Read(context.Background(), "p.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	m := &gltf.Model{Cameras: s.Cameras}
	for i := range s.Materials {
		q := &s.Materials[i]
		o := gltf.ModelMaterial{Name: q.Name, Metallic: float64(q.Metallic), Roughness: float64(q.Roughness), Transmission: float64(q.Transmission), DoubleSided: q.DoubleSided}
		for k := range 4 {
			o.BaseColor[k] = float64(min(q.BaseColor[k], 1))
		}
		if q.BaseTex.Texture >= 0 {
			o.BaseColor = [4]float64{0.35, 0.3, 0.26, 1}
			o.Metallic = 0
		}
		if top := float64(q.Emissive.Max()); top > 0 {
			o.Emissive, o.Strength = [3]float64{float64(q.Emissive.X) / top, float64(q.Emissive.Y) / top, float64(q.Emissive.Z) / top}, top
		}
		m.Materials = append(m.Materials, o)
	}
	for i := range s.Objects {
		o := &s.Objects[i]
		parts := map[int]*gltf.ModelPart{}
		for k := o.First; k < o.First+o.Count; k++ {
			p := parts[int(s.Mat[k])]
			if p == nil {
				p = &gltf.ModelPart{Material: int(s.Mat[k])}
				parts[int(s.Mat[k])] = p
			}
			a, b, c := s.Corner(uint32(k))
			at := uint32(len(p.Pos))
			mid := s.V.Pos[a].Add(s.V.Pos[b]).Add(s.V.Pos[c]).Scale(1.0 / 3)
			nrm := s.V.Nrm[a].Add(s.V.Nrm[b]).Add(s.V.Nrm[c]).Norm()
			p.Pos = append(p.Pos, s.V.Pos[a], s.V.Pos[b], s.V.Pos[c], mid)
			p.Nrm = append(p.Nrm, s.V.Nrm[a], s.V.Nrm[b], s.V.Nrm[c], nrm)
			p.UV = append(p.UV, make([]vec.V2, 4)...)
			p.Index = append(p.Index, at, at+1, at+3, at+1, at+2, at+3, at+2, at, at+3)
		}
		n := gltf.ModelNode{Name: strings.ReplaceAll(o.Path, "/", " ")}
		for mat := range s.Materials {
			if p := parts[mat]; p != nil {
				n.Parts = append(n.Parts, *p)
			}
		}
		m.Nodes = append(m.Nodes, n)
	}
	out, err := gltf.Write(m)
	require.NoError(t, err)
	return out
}

// theatre is a room with one eye that notes when it is told what.
type theatre struct {
	mu     sync.Mutex
	state  refine.State
	eye    refine.Eye
	studio *refine.Studio
	at     []time.Time
	news   []refine.News
}

func (e *theatre) State() *refine.State {
	e.mu.Lock()
	defer e.mu.Unlock()
	s := e.state
	s.Eyes = []refine.Eye{e.eye}
	return &s
}

func (e *theatre) Tell(n refine.News, _ ...int64) {
	e.mu.Lock()
	defer e.mu.Unlock()
	e.at, e.news = append(e.at, time.Now()), append(e.news, n)
}

func (e *theatre) look(change func(*refine.Eye)) {
	e.mu.Lock()
	change(&e.eye)
	if e.eye.Moving {
		e.eye.Moves++
		e.eye.Looked = time.Now()
	}
	e.mu.Unlock()
	e.studio.Changed(1)
}

// first returns when the first message after `since` came that fits; zero if none
// does within the limit.
func (e *theatre) first(since time.Time, limit time.Duration, fits func(refine.News) bool) time.Time {
	for deadline := time.Now().Add(limit); ; time.Sleep(2 * time.Millisecond) {
		e.mu.Lock()
		for i, m := range e.news {
			if e.at[i].After(since) && fits(m) {
				at := e.at[i]
				e.mu.Unlock()
				return at
			}
		}
		e.mu.Unlock()
		if time.Now().After(deadline) {
			return time.Time{}
		}
	}
}

func figures(t *testing.T, glb []byte, doc *setup.Setup) {
	ctx := context.Background()
	blobs := &blobtest.Memory{}
	hash, err := blobs.Put(ctx, blob.Place, bytes.NewReader(glb))
	require.NoError(t, err)
	studio := refine.New(stage.NewShop(blobs, runtime.GOMAXPROCS(0)), refine.Options{})
	defer studio.Close()
	e := &theatre{state: refine.State{Doc: doc, Place: hash, File: "p.glb"}, eye: refine.Eye{ID: 1, Blind: true}, studio: studio}
	began := time.Now()
	_, err = studio.Open(1, e).Shot(ctx)
	require.NoError(t, err)
	t.Logf("place ready %.2f s", time.Since(began).Seconds())
	level := func(sight string, n, layers int) func(refine.News) bool {
		return func(m refine.News) bool {
			f, ok := m.(*refine.FrameNews)
			return ok && f.View == "" && (sight == "" || f.Sight == sight) && f.Level == n && len(f.Layers) >= layers
		}
	}
	seconds := func(from, to time.Time) string {
		if to.IsZero() {
			return "not in time"
		}
		return fmt.Sprintf("%.2f s", to.Sub(from).Seconds())
	}
	n := len(doc.Lights)
	for i, v := range doc.SortedViews() {
		start := time.Now()
		e.look(func(k *refine.Eye) { k.N, k.Blind, k.See = int64(i+1), false, stage.Sight{Camera: doc.Views[v]} })
		sight := ""
		e.first(start, 20*time.Second, func(m refine.News) bool {
			q, ok := m.(refine.Sighted)
			if ok && q.N == int64(i+1) {
				sight = q.Sight
			}
			return sight != ""
		})
		require.NotEmpty(t, sight)
		coarse := e.first(start, 60*time.Second, level(sight, 0, n))
		middle := e.first(start, 60*time.Second, level(sight, 1, n))
		full := e.first(start, 120*time.Second, level(sight, 2, n))
		sharp := func(level int) time.Time {
			return e.first(start, time.Millisecond, func(m refine.News) bool {
				s, ok := m.(refine.Sharp)
				return ok && s.Sight == sight && s.Level == level
			})
		}
		var at30 float64
		deadline := 30 * time.Second
		clean := e.first(start, deadline-time.Since(start), func(m refine.News) bool {
			f, ok := m.(*refine.FrameNews)
			if ok && f.Sight == sight && f.Level == 2 && f.Error > 0 {
				at30 = f.Error
			}
			return ok && f.Sight == sight && f.Level == 2 && f.Error > 0 && f.Error < refine.Clean
		})
		t.Logf("%s: coarse %s, sharp %s, middle %s, sharp %s, full %s, clean %s (error %.2f %% after 30 s)", v, seconds(start, coarse), seconds(start, sharp(0)), seconds(start, middle), seconds(start, sharp(1)), seconds(start, full), seconds(start, clean), 100*at30)
	}
	// The camera moves: one picture after another, as fast as they come.
	cam := doc.Views["hall"]
	start := time.Now()
	const pictures = 40
	for i := range pictures {
		cam.Eye[0] += 0.02
		asked := time.Now()
		e.look(func(k *refine.Eye) { k.N, k.See.Camera, k.Moving = int64(1000+i), cam, true })
		e.first(asked.Add(-time.Millisecond), 5*time.Second, func(m refine.News) bool { p, ok := m.(refine.Preview); return ok && p.N == int64(1000+i) })
	}
	t.Logf("camera in motion: %.1f pictures a second", pictures/time.Since(start).Seconds())
	back := time.Now()
	e.look(func(k *refine.Eye) { k.N, k.See.Camera, k.Moving = 2000, doc.Views["hall"], false })
	e.first(back, 60*time.Second, level("", 2, n))
	// A lamp is moved: its first layer, and the one at full size.
	l := doc.Lights["lantern"]
	var first, full time.Duration
	const moves = 5
	for range moves {
		l.Position[0] -= 0.05
		pos, _ := json.Marshal(l.Position)
		asked := time.Now()
		c, err := edits.Apply(doc, []edits.Op{{Op: "replace", Path: "/lights/lantern/position", Value: pos}})
		require.NoError(t, err)
		e.look(func(k *refine.Eye) { k.Draft = c.After })
		var key string
		e.first(asked, 20*time.Second, func(m refine.News) bool {
			d, ok := m.(refine.Drafted)
			if ok {
				key = d.Lamps["lantern"].Key
			}
			return ok
		})
		has := func(n int) func(refine.News) bool {
			return func(m refine.News) bool {
				f, ok := m.(*refine.FrameNews)
				return ok && f.View == "" && f.Level >= n && f.Layers[key].Version > 0
			}
		}
		first += e.first(asked, 20*time.Second, has(0)).Sub(asked)
		full += e.first(asked, 20*time.Second, has(2)).Sub(asked)
	}
	t.Logf("a moved lamp: first %.2f s, at full size %.2f s (mean of %d)", first.Seconds()/moves, full.Seconds()/moves, moves)
	runtime.GC()
	t.Logf("memory of the process %.0f MB", resident())
}

func resident() float64 {
	b, _ := os.ReadFile("/proc/self/status")
	for line := range strings.SplitSeq(string(b), "\n") {
		if v, ok := strings.CutPrefix(line, "VmRSS:"); ok {
			n, _ := strconv.ParseFloat(strings.Fields(v)[0], 64)
			return n / 1024
		}
	}
	return 0
}
