package rig

import (
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/colour"
	"willowherb/core/lamps"
	"willowherb/core/place"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// measured is each light's azimuth from the figure's front and what it gives at
// the pivot, in lux.
func measured(t *testing.T, f Figure, g setup.Group, lights []setup.Light) (azimuths, lux []float64) {
	doc := &setup.Setup{Version: setup.Version, Name: "n", Curve: "plain", Groups: map[string]setup.Group{"rig": g}, Lights: map[string]setup.Light{}}
	ids := []string{"a", "b", "c", "d", "e"}
	for i, l := range lights {
		l.Group = "rig"
		doc.Lights[ids[i]] = l
	}
	require.NoError(t, doc.Validate())
	st, err := lamps.Resolve(doc, "")
	require.NoError(t, err)
	pivot := vec.New(f.Pivot[0], f.Pivot[1], f.Pivot[2])
	for _, l := range st.Lamps(&scene.Scene{}, nil) {
		d := l.Source.Pos.Sub(pivot)
		azimuths = append(azimuths, math.Remainder(math.Atan2(float64(d.X), float64(d.Z))*180/math.Pi-f.Facing, 360))
		y := l.Gain()
		lux = append(lux, place.Reaching(l.Source, pivot, l.Source.Pos)*colour.Luminance(colour.RGB{float64(y.X), float64(y.Y), float64(y.Z)}))
	}
	return azimuths, lux
}

// On figures of three heights, anywhere and facing anywhere, every mood's lights
// stand at the same azimuths, give the same level, and keep their ratios within a
// tenth of a stop; its key gives the 320 lux it is made for, to a third of a stop
// (panels near the figure give less than their candela says).
func TestMoodsOnFiguresOfThreeHeights(t *testing.T) {
	for _, m := range Moods() {
		var az0, lux0 []float64
		for i, f := range []Figure{{Height: 1, Pivot: [3]float64{0, 0.9, 0}}, {Height: 1.8, Pivot: [3]float64{4, 1.6, -3}, Facing: 70}, {Height: 3.1, Pivot: [3]float64{-10, 12, 2}, Facing: -160}} {
			g, lights := m.On(f, 1)
			az, lux := measured(t, f, g, lights)
			if i == 0 {
				az0, lux0 = az, lux
				for k, l := range lights {
					if l.Role == "key" && (m.Name == "Clear three" || m.Name == "Side split") {
						require.InDelta(t, 0, math.Log2(lux[k]/KeyLux), 0.34, m.Name)
					}
				}
				continue
			}
			for k := range az {
				require.InDelta(t, az0[k], az[k], 0.05, "%s, light %d", m.Name, k)
				require.InDelta(t, math.Log2(lux0[k]), math.Log2(lux[k]), 0.1, "%s, light %d", m.Name, k)
				require.InDelta(t, math.Log2(lux0[k]/lux0[0]), math.Log2(lux[k]/lux[0]), 0.1)
			}
		}
	}
}

// A rig that is saved and put back on its own figure is what it was.
func TestSavedAndPutBack(t *testing.T) {
	f := Figure{Path: "Keeper", Pivot: [3]float64{2, 1.55, -1}, Height: 1.75, Facing: 33}
	lights := []setup.Light{
		{Name: "Key", Role: "key", Kind: setup.Spot, Output: 420, Stops: -0.9, Colour: setup.Colour{Kelvin: 3300}, Position: [3]float64{4, 3, 0.5}, Aim: [3]float64{-0.7, -0.5, -0.5}, Radius: 0.12, Inner: 14, Outer: 24, Range: 9, Shadow: true, Carry: setup.Live, Channels: 0xff, Doors: &setup.Doors{Top: 20, Length: 0.3}},
		{Name: "Panel", Kind: setup.Rect, Unit: setup.Nit, Output: 900, Width: 1, Height: 0.5, Colour: setup.Colour{Kelvin: 6000}, Position: [3]float64{0, 2, 0}, Aim: [3]float64{0.6, -0.2, -0.3}, Carry: setup.Split, Channels: 0xff},
	}
	tpl := Save("Mine", f.Rig(), lights)
	back, err := Parse("mine.json", tpl.JSON())
	require.NoError(t, err)
	require.Equal(t, tpl, back)
	g, out := back.On(f, 1)
	require.Equal(t, "Keeper", g.Rig.Object)
	for i, l := range out {
		want := lights[i]
		for k := range 3 {
			require.InDelta(t, want.Position[k], l.Position[k], 1e-3)
			require.InDelta(t, unit(want.Aim)[k], l.Aim[k], 1e-5)
		}
		require.InEpsilon(t, want.Output, l.Output, 1e-9)
		require.InDelta(t, want.Width, l.Width, 1e-9)
		require.InDelta(t, want.Range, l.Range, 1e-9)
		require.InDelta(t, want.Stops, l.Stops, 1e-9)
	}
	require.InDelta(t, 0.3, out[0].Doors.Length, 1e-9)
	require.Equal(t, 0.3, lights[0].Doors.Length, "what was given is left alone")
	_, bright := back.On(f, 4)
	require.InDelta(t, lights[0].Stops+2, bright[0].Stops, 1e-9)
}

func TestParseRefuses(t *testing.T) {
	good := string(Save("Mine", &setup.Rig{Height: 1.8}, []setup.Light{{Name: "A", Kind: setup.Point, Output: 1, Colour: setup.Colour{Kelvin: 4000}, Carry: setup.Live}}).JSON())
	_, err := Parse("a", []byte(good))
	require.NoError(t, err)
	for _, c := range [][2]string{{`"version": 1`, `"version": 9`}, {`"name": "Mine"`, `"name": ""`}, {`"kind": "point"`, `"kind": "sun"`}, {`"kelvin": 4000`, `"kelvin": 4`}, {`"format"`, `"form"`}} {
		require.Contains(t, good, c[0])
		_, err := Parse("a.json", []byte(strings.Replace(good, c[0], c[1], 1)))
		require.ErrorContains(t, err, "a.json: ", c[1])
	}
}

func FuzzParse(f *testing.F) {
	for _, m := range Moods() {
		f.Add(m.JSON())
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if tpl, err := Parse("fuzz", data); err == nil {
			_, lights := tpl.On(Figure{Height: 1.8}, 1)
			require.Len(t, lights, len(tpl.Lights))
		}
	})
}
