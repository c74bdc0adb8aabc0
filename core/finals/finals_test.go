package finals

import (
	"bytes"
	"context"
	"math"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/still"
	"willowherb/core/vec"
)

func document() *setup.Setup {
	white := setup.Colour{RGB: &[3]float64{1, 1, 1}}
	return &setup.Setup{
		Lights: map[string]setup.Light{"lamp": {Name: "Lamp", Kind: setup.Rect, Output: 100, Unit: setup.Candela, Colour: white, Width: 1, Height: 1, Shadow: true, Channels: 255, Position: [3]float64{0, 3, 0}, Aim: [3]float64{0, -1, 0}}},
		Views: map[string]setup.View{
			"near": {Name: "Near", Eye: [3]float64{0, 2, 4}, Aim: [3]float64{0, 0, -1}, FovY: 40, EV: 4},
			"far":  {Name: "Far", Order: 1, Eye: [3]float64{0, 2, 10}, Aim: [3]float64{0, 0, -1}, FovY: 20, EV: 8, Zoned: true},
		},
	}
}

func placed(t *testing.T, doc *setup.Setup) *Place {
	g := scenetest.New()
	g.Floor(6)
	g.Box("crate", vec.V3{X: 1, Y: 0.5}, 0.5)
	w := g.World(t)
	s := w.S
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	return &Place{Scene: s, World: w, Lamps: st.Lamps(s, nil)}
}

func TestWhatIsWrongWithAnOrderIsSaid(t *testing.T) {
	doc, s := document(), &scene.Scene{}
	good := Order{Views: []string{"near"}, Width: 64, Height: 36, Samples: 8, Passes: 4}
	require.NoError(t, good.Check(doc, s))
	for want, break_ := range map[string]func(o *Order){
		"no view is named":         func(o *Order) { o.Views = nil },
		"choose one of them":       func(o *Order) { o.Camera = "Crane" },
		"of the place travels":     func(o *Order) { o.Views, o.Camera = nil, "Crane" },
		"view \"gone\" is not":     func(o *Order) { o.Views = []string{"near", "gone"} },
		"at most 50":               func(o *Order) { o.Views = make([]string, 51) },
		"a way takes":              func(o *Order) { o.Seconds = math.NaN() },
		"frames a second":          func(o *Order) { o.Seconds, o.Rate = 2, 0 },
		"at most 2000":             func(o *Order) { o.Seconds, o.Rate = 100, 60 },
		"pixels":                   func(o *Order) { o.Width = 8000; o.Height = 8000 },
		"3 by 36 pixels":           func(o *Order) { o.Width = 3 },
		"0 passes":                 func(o *Order) { o.Passes = 0 },
		"3 samples: choose 4 (one": func(o *Order) { o.Samples = 3 },
	} {
		o := good
		break_(&o)
		require.ErrorContains(t, o.Check(doc, s), want)
	}
}

// A way begins at its first view and ends at its last, exposure and lens too; half way it is
// half between. Zones are those of where each frame stands.
func TestTheWayOfASequence(t *testing.T) {
	doc, s := document(), &scene.Scene{}
	o := Order{Views: []string{"near", "far"}, Seconds: 2, Rate: 12.5, Width: 64, Height: 32, Samples: 4, Passes: 1}
	require.Equal(t, 25, o.Count())
	a, m, b := o.Frame(doc, s, 0, nil), o.Frame(doc, s, 12, nil), o.Frame(doc, s, 24, nil)
	require.Equal(t, [3]float64{0, 2, 4}, a.View.Eye)
	require.Equal(t, 4.0, a.View.EV)
	require.InDelta(t, 7, m.View.Eye[2], 1e-6)
	require.InDelta(t, 6, m.View.EV, 1e-9)
	require.InDelta(t, 30, m.View.FovY, 1e-9)
	require.InDelta(t, 0.96, m.Seconds, 1e-9)
	require.Equal(t, [3]float64{0, 2, 10}, b.View.Eye)
	require.Equal(t, 8.0, b.View.EV)
	require.Equal(t, 2.0, b.View.Aspect)
	require.Equal(t, -3.0, o.Frame(doc, s, 1, []float64{0, -3}).View.EV, "as it adapts")

	doc.Zones = map[string]setup.Zone{"z": {Name: "Far end", Position: [3]float64{0, 2, 10}, Size: [3]float64{4, 4, 4}, EV: 11}}
	require.Equal(t, 11.0, o.Frame(doc, s, 24, nil).View.EV, "the far view goes by its zone")
	require.Equal(t, 4.0, o.Frame(doc, s, 0, nil).View.EV)

	one := Order{Views: []string{"far"}, Width: 64, Height: 32, Samples: 4, Passes: 1}
	require.Equal(t, 1, one.Count())
	require.Equal(t, [3]float64{0, 2, 10}, one.Frame(doc, s, 0, nil).View.Eye)
}

// A camera that travels takes the place's animations along, and the exposure of the views about it.
func TestACameraThatTravelsTakesTimeAlong(t *testing.T) {
	doc := document()
	s := &scene.Scene{}
	s.Nodes = []scene.Node{{Name: "crane", Parent: scene.None, R: [4]float64{0, 0, 0, 1}, S: [3]float64{1, 1, 1}}}
	s.Animations = []scene.Animation{{Name: "back", Channels: []scene.Channel{{Node: 0, Target: scene.Translation, Times: []float32{0, 4}, Values: []float32{0, 2, 4, 0, 2, 10}}}}}
	s.Cameras = []scene.Camera{{Name: "Crane", FovY: 0.3, Hangs: 1}}
	o := Order{Camera: "Crane", Seconds: 4, Rate: 1, Width: 64, Height: 32, Samples: 4, Passes: 1}
	require.NoError(t, o.Check(doc, s))
	require.InDelta(t, 4, o.Frame(doc, s, 0, nil).View.EV, 1e-3)
	mid := o.Frame(doc, s, 2, nil)
	require.InDelta(t, 7, mid.View.Eye[2], 1e-5)
	require.InDelta(t, 6, mid.View.EV, 1e-3)
	require.Equal(t, 2.0, o.At(doc, 2).Time)
	require.Zero(t, doc.Time)
}

// Each pass is a picture by itself; their mean is as much nearer to a picture of many samples
// as their own differences say. Tiles meet: in a picture of several there is no edge between them.
func TestPiecesMakeAFrame(t *testing.T) {
	doc := document()
	on := placed(t, doc)
	o := Order{Views: []string{"near"}, Width: 1280, Height: 32, Samples: 8, Passes: 4}
	across, down := o.Tiles()
	require.Equal(t, []int{2, 1, 8}, []int{across, down, o.Pieces()})
	f := o.Frame(doc, on.Scene, 0, nil)
	show := func(l float64) float64 { return min(l/20, 1) }
	var pieces []*Piece
	for k := range o.Pieces() {
		p, err := o.Make(context.Background(), on, &f, k, 2)
		require.NoError(t, err)
		p, err = Unpack(p.Pack())
		require.NoError(t, err)
		pieces = append(pieces, p)
	}
	again, err := o.Make(context.Background(), on, &f, 3, 1)
	require.NoError(t, err)
	require.True(t, bytes.Equal(pieces[3].RGB, again.RGB), "the same bits with another number of workers")
	require.False(t, bytes.Equal(pieces[3].RGB, pieces[1].RGB), "another pass is another chance")
	next := f
	next.Number = 1
	other, err := o.Make(context.Background(), on, &next, 3, 2)
	require.NoError(t, err)
	require.False(t, bytes.Equal(pieces[3].RGB, other.RGB), "so is another frame")

	best, err := still.Render(context.Background(), still.Order{World: on.World, Lamps: on.Lamps, View: f.View.Camera(), W: o.Width, H: o.Height, Samples: 64, Workers: 2})
	require.NoError(t, err)
	off := func(j *Joined, from, to int) float64 {
		var d, m float64
		n := 0
		for y := range o.Height {
			for i := 3 * (y*o.Width + from); i < 3*(y*o.Width+to); i++ {
				a, b := show(float64(j.RGB[i])), show(float64(best.RGB[i]))
				d, m, n = d+(a-b)*(a-b), m+b, n+1
			}
		}
		return math.Sqrt(d/float64(n)) / (m / float64(n))
	}
	joined := func(n int) *Joined {
		j, err := o.Join(&f, pieces[:n], show)
		require.NoError(t, err)
		return j
	}
	one, two, all := joined(2), joined(5), joined(8)
	require.Equal(t, []int{1, 2, 4}, []int{one.Passes, two.Passes, all.Passes}, "a pass of which a tile is not there does not count")
	require.Zero(t, one.Error, "one pass alone tells no error")
	require.Less(t, off(all, 0, o.Width), off(one, 0, o.Width))
	require.Less(t, all.Error, two.Error)
	require.Less(t, off(all, 0, o.Width), 3*all.Error, "noise is told; what filters blur, alike in all passes, is not")
	require.Greater(t, off(all, 0, o.Width), all.Error/3)
	require.Less(t, off(all, 632, 648), 3*off(all, 0, o.Width), "where tiles meet")
	holes := slices.Clone(pieces)
	holes[0] = nil
	j, err := o.Join(&f, holes, show)
	require.NoError(t, err)
	require.Equal(t, 3, j.Passes)
	require.Nil(t, j.Depth)
}

// The lens finds how far off things are, over all tiles.
func TestDepthOfAFrame(t *testing.T) {
	doc := document()
	on := placed(t, doc)
	v := doc.Views["near"]
	v.Focus, v.Aperture = 3, 1.4
	doc.Views["near"] = v
	o := Order{Views: []string{"near"}, Width: 1280, Height: 32, Samples: 1, Passes: 1}
	f := o.Frame(doc, on.Scene, 0, nil)
	var pieces []*Piece
	for k := range o.Pieces() {
		p, err := o.Make(context.Background(), on, &f, k, 2)
		require.NoError(t, err)
		pieces = append(pieces, p)
	}
	j, err := o.Join(&f, pieces, func(l float64) float64 { return l })
	require.NoError(t, err)
	require.Equal(t, []float64{3, 1.4}, []float64{j.Depth.Focus, j.Depth.Aperture})
	// The floor is seen under the middle, 2 m below the eye.
	cam := f.View.Camera()
	for _, x := range []int{100, 639, 640, 1200} {
		d := cam.Ray(float32(x)+0.5, 31.5, o.Width, o.Height)
		far := -2 / float64(d.Y) * float64(d.Dot(cam.Aim))
		if p := cam.Eye.Add(d.Scale(float32(-2 / d.Y))); d.Y < 0 && math.Abs(float64(p.X)) < 6 && math.Abs(float64(p.Z)) < 6 {
			require.InEpsilon(t, 1/far, j.Depth.Inverse[31*o.Width+x], 0.02, "within the pixel")
		}
	}
}

// The error is that of the mean: passes of 1 and 3 lie 1 from 2, and their mean is off by
// sqrt(2 / (2 (2 - 1))) = 1, a half of what is shown.
func TestErrorOfAFrame(t *testing.T) {
	o := Order{Width: 1, Height: 1, Passes: 2}
	piece := func(v byte) *Piece { // halves of 1 (3c00) and 3 (4200)
		return &Piece{W: 1, H: 1, Scale: 1, RGB: []byte{0, v, 0, v, 0, v}}
	}
	j, err := o.Join(&Frame{}, []*Piece{piece(0x3c), piece(0x42)}, func(l float64) float64 { return l })
	require.NoError(t, err)
	require.InDelta(t, 2, j.RGB[0], 1e-6)
	require.InDelta(t, 0.5, j.Error, 1e-6)
	bright := piece(0x42)
	bright.Scale = 1000
	j, err = o.Join(&Frame{}, []*Piece{bright}, nil)
	require.NoError(t, err)
	require.Equal(t, float32(3000), j.RGB[1])
	_, err = o.Join(&Frame{}, nil, nil)
	require.ErrorContains(t, err, "no pass")
	_, err = o.Join(&Frame{}, []*Piece{{W: 2, H: 1, Scale: 1, RGB: make([]byte, 12)}}, nil)
	require.ErrorContains(t, err, "none of this frame")
}

func TestKeysOfPasses(t *testing.T) {
	doc := document()
	on := placed(t, doc)
	o := Order{Views: []string{"near"}, Width: 48, Height: 32, Samples: 12, Passes: 6}
	f := o.Frame(doc, on.Scene, 0, nil)
	key := o.Key([32]byte{1}, on.Lamps, &f, 0)
	require.Equal(t, key, o.Key([32]byte{1}, on.Lamps, &f, 0))
	require.NotEqual(t, key, o.Key([32]byte{2}, on.Lamps, &f, 0))
	require.NotEqual(t, key, o.Key([32]byte{1}, on.Lamps, &f, 1))
	require.NotEqual(t, key, o.Key([32]byte{1}, nil, &f, 0))
	more := o
	more.Samples, more.Passes = 24, 12
	require.Equal(t, key, more.Key([32]byte{1}, on.Lamps, &f, 0), "more passes of the same samples go on from what there is")
	more.Samples = 13
	require.NotEqual(t, key, more.Key([32]byte{1}, on.Lamps, &f, 11))
	total := 0
	for k := range more.Passes {
		total += more.samples(k)
	}
	require.Equal(t, 13, total)
	curved := f
	curved.Curve = exposure.Plain
	require.NotEqual(t, key, o.Key([32]byte{1}, on.Lamps, &curved, 0), "samples are spent by what is displayed")
	f.View.Focus = 3
	require.NotEqual(t, key, o.Key([32]byte{1}, on.Lamps, &f, 0))
}

func FuzzUnpack(f *testing.F) {
	p := Piece{W: 2, H: 1, Scale: 1, RGB: make([]byte, 12)}
	f.Add(p.Pack())
	f.Fuzz(func(t *testing.T, data []byte) {
		if p, err := Unpack(data); err == nil {
			o := Order{Width: p.W, Height: p.H, Passes: 1}
			if o.Pieces() > 1 || p.W*p.H > 1<<16 {
				return
			}
			_, err := o.Join(&Frame{}, []*Piece{p}, func(l float64) float64 { return l })
			require.NoError(t, err)
		}
	})
}
