package plot

import (
	"math"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/lamps"
	"willowherb/core/scene/scenetest"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// world is a figure 1.8 m high on a floor, with a wall two metres behind it.
func room(t *testing.T) *world.World {
	g := scenetest.New()
	g.S.Materials[0].DoubleSided = true
	g.Floor(9)
	g.Add("wall", 0, [4]vec.V3{{X: -4, Z: -2}, {X: 4, Z: -2}, {X: 4, Y: 3, Z: -2}, {X: -4, Y: 3, Z: -2}})
	g.Add("figure", 0, [4]vec.V3{{X: -0.2, Z: 0.1}, {X: 0.2, Z: 0.1}, {X: 0.2, Y: 1.8, Z: 0.1}, {X: -0.2, Y: 1.8, Z: 0.1}}, [4]vec.V3{{X: -0.2, Z: -0.1}, {X: 0.2, Z: -0.1}, {X: 0.2, Y: 1.8, Z: -0.1}, {X: -0.2, Y: 1.8, Z: -0.1}})
	return g.World(t)
}

func of(t *testing.T, lights map[string]setup.Light) *Plot {
	w := room(t)
	for id, l := range lights {
		l.Name, l.Carry, l.Colour.Kelvin, l.Channels = id, setup.Live, 5000, 0xff
		if l.Aim == [3]float64{} {
			l.Aim = [3]float64{0, -1, 0}
		}
		lights[id] = l
	}
	doc := &setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Lights: lights}
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	return Of(&Input{World: w, Lamps: st.Lamps(w.S, nil), View: world.Camera{Eye: vec.V3{Y: 1.62, Z: 4}, Aim: vec.V3{Z: -1}, Up: vec.V3{Y: 1}}, Subject: 2})
}

// round is a lamp of so many candela at an azimuth, height and distance from the
// figure's eyes.
func round(az, height, dist, candela float64, role string) setup.Light {
	s, c := math.Sincos(az * math.Pi / 180)
	h, f := math.Sincos(height * math.Pi / 180)
	return setup.Light{Kind: setup.Point, Unit: setup.Candela, Output: candela, Role: role, Shadow: true, Position: [3]float64{dist * f * s, 1.62 + dist*h, dist * f * c}}
}

func light(p *Plot, id string) Stand {
	for _, l := range p.Lights {
		if l.ID == id {
			return l
		}
	}
	return Stand{}
}

// Three lights stand where they were put, give the inverse square, and the ratios
// follow: 4:1 is two stops.
func TestAnglesLuxAndRatios(t *testing.T) {
	p := of(t, map[string]setup.Light{"key": round(45, 30, 2, 400, "key"), "fill": round(-60, 10, 3, 225, "fill"), "rim": round(150, 35, 1.5, 90, "rim"), "sky": {Kind: setup.Sky, Output: 0}})
	require.Equal(t, "figure", p.Subject)
	require.InDelta(t, 1.62, p.Pivot[1], 1e-5)
	for id, want := range map[string][4]float64{"key": {45, 30, 2, 100}, "fill": {-60, 10, 3, 25}, "rim": {150, 35, 1.5, 40}} {
		l := light(p, id)
		require.InDelta(t, want[0], l.Azimuth, 0.01)
		require.InDelta(t, want[1], l.Height, 0.01)
		require.InDelta(t, want[2], l.Distance, 1e-4)
		require.InEpsilon(t, want[3], l.Lux, 0.005)
		require.Equal(t, id, l.Part)
	}
	ratios := map[string]Ratio{}
	for _, r := range p.Ratios {
		ratios[r.Name] = r
	}
	require.InDelta(t, 2, ratios["key to fill"].Stops, 0.02)
	require.InDelta(t, 5, ratios["lighting ratio"].Times, 0.05, "(100 + 25) : 25")
	require.InDelta(t, 2.5, ratios["key to rim"].Times, 0.03)
	require.Equal(t, []string{"fill"}, ratios["key to fill"].Moves)
	require.Len(t, p.Warns, 1, "two shadows from two sides, two stops apart")
	require.Equal(t, "fill", p.Warns[0].NoShadow)
}

func TestWarnings(t *testing.T) {
	key, fill := round(40, 20, 2, 400, "key"), round(-40, 20, 2, 390, "fill")
	fill.Shadow = false
	p := of(t, map[string]setup.Light{"key": key, "fill": fill, "rim": round(175, 10, 4, 100, "rim"), "sky": {Kind: setup.Sky, Output: 400}})
	var what []string
	for _, w := range p.Warns {
		what = append(what, w.What)
	}
	require.Len(t, what, 3)
	require.Contains(t, what[0], "flat")
	require.Contains(t, what[1], "from all sides")
	require.Contains(t, what[2], "hidden from figure by wall")
	require.Zero(t, light(p, "rim").Lux)
	require.InEpsilon(t, 100.0/16, light(p, "rim").Bare, 0.01)
	// A sky of L all round gives pi L on a surface; an upright one loses what lies under
	// the floor's edge, 10.2 degrees below the horizon nine metres off: the integral of
	// cos^2 from there to the horizon over that of the upper half is 0.22.
	require.InEpsilon(t, math.Pi*400*0.5*1.22, p.Even, 0.05)
	free := of(t, map[string]setup.Light{"a": round(30, 20, 2, 100, ""), "b": round(-70, 5, 2, 20, ""), "c": round(140, 30, 1.2, 50, "")})
	require.Equal(t, []string{"key", "fill", "rim"}, []string{light(free, "a").Part, light(free, "b").Part, light(free, "c").Part}, "by where they stand and how strong they are")
}

func TestWallsAreCut(t *testing.T) {
	p := of(t, map[string]setup.Light{"key": round(45, 30, 2, 400, "key")})
	require.Len(t, p.Plan, 1, "the wall, its two triangles joined; the figure itself is left out")
	s := p.Plan[0]
	require.InDelta(t, 8, math.Hypot(s[2]-s[0], s[3]-s[1]), 1e-3)
	require.InDelta(t, -2, s[1], 1e-4)
	// Floor and wall in section: two metres away from the camera's side.
	upright := 0
	for _, s := range p.Section {
		if math.Abs(s[0]-2) < 1e-3 && math.Abs(s[2]-2) < 1e-3 {
			upright++
		}
	}
	require.Positive(t, upright)
}
