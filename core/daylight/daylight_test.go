package daylight

import (
	"encoding/json"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/air"
	"willowherb/core/edits"
	"willowherb/core/setup"
)

func document(t *testing.T, lights map[string]setup.Light) *setup.Setup {
	doc := &setup.Setup{Version: 1, Name: "n", Target: "console-60", Curve: "plain", Groups: map[string]setup.Group{}, Lights: lights,
		Views: map[string]setup.View{"v": {Name: "v", Aim: [3]float64{0, 0, -1}, FovY: 40, Aspect: 1.5, EV: 10}}, Looks: map[string]setup.Look{}, Objects: map[string]setup.Object{}, Materials: map[string]setup.Material{}, Backdrops: map[string]setup.Backdrop{}, Channels: map[string]setup.Channel{}}
	b, err := json.Marshal(doc)
	require.NoError(t, err)
	doc, err = setup.Parse(b)
	require.NoError(t, err)
	return doc
}

func applied(t *testing.T, doc *setup.Setup, p *Plan) *setup.Setup {
	c, err := edits.Apply(doc, p.Ops)
	require.NoError(t, err)
	return c.After
}

func low() setup.Day {
	d := setup.Day{Date: "2026-10-14", Sky: air.Clear()}
	d.Sky.SunHeight, d.Sky.SunAzimuth = 12, 250
	return d
}

// A setup without lights gets a sun and a sky, which agree with each other and with what
// is told; a second day moves the same ones.
func TestADayMakesSunAndSky(t *testing.T) {
	doc := document(t, map[string]setup.Light{})
	p, err := Make(doc, low())
	require.NoError(t, err)
	doc = applied(t, doc, p)
	require.Len(t, doc.Lights, 2)
	sun, sky := doc.Lights[p.Day.Sun], doc.Lights[p.Day.Dome]
	h, az := air.Bearing([3]float64{-sun.Aim[0], -sun.Aim[1], -sun.Aim[2]})
	require.InDelta(t, 12, h, 0.01)
	require.InDelta(t, 250, az, 0.01)
	require.InEpsilon(t, p.Facts.SunLux, sun.Output*math.Sin(12*math.Pi/180), 1e-3)
	require.InEpsilon(t, p.Facts.SkyLux, sky.Output*math.Pi, 1e-3)
	require.InDelta(t, 4.7, p.Facts.Shadow, 0.01, "cotangent of 12 degrees")
	require.Equal(t, p.Day, *doc.Day)

	next := *doc.Day
	next.Sky.Clouds = 0.6
	again, err := Make(doc, next)
	require.NoError(t, err)
	doc = applied(t, doc, again)
	require.Len(t, doc.Lights, 2)
	require.Less(t, doc.Lights[p.Day.Sun].Output, sun.Output)
	require.Equal(t, 0.6, doc.Lights[p.Day.Dome].Air.Clouds)
}

func TestTheArtistsOwnStays(t *testing.T) {
	rgb := [3]float64{1, 0.5, 0.2}
	doc := document(t, map[string]setup.Light{
		"low":  {Name: "Low sun", Kind: setup.Sun, Output: 900, Stops: -1.5, Unit: setup.Lux, Colour: setup.Colour{RGB: &rgb}, Aim: [3]float64{1, -1, 0}, Angle: 2, Carry: setup.Split, Order: 4},
		"dome": {Name: "Sky dome", Kind: setup.Sky, Output: 90, Stops: 0.7, Colour: setup.Colour{Kelvin: 9000}, Gradient: &setup.Gradient{Falloff: 1}, Carry: setup.Baked, Order: 5},
	})
	d := Standard(doc)
	require.InDelta(t, 45, d.Sky.SunHeight, 1e-6)
	require.InDelta(t, 270, d.Sky.SunAzimuth, 1e-6)
	p, err := Make(doc, d)
	require.NoError(t, err)
	doc = applied(t, doc, p)
	require.Equal(t, -1.5, doc.Lights["low"].Stops)
	require.Equal(t, 2.0, doc.Lights["low"].Angle)
	require.Equal(t, 0.7, doc.Lights["dome"].Stops)
	require.Nil(t, doc.Lights["dome"].Gradient)
	// At night the sun gives nothing, and keeps its colour for the morning.
	day := *doc.Day
	day.Sky.SunHeight = -10
	p, err = Make(doc, day)
	require.NoError(t, err)
	after := applied(t, doc, p)
	require.Zero(t, after.Lights["low"].Output)
	require.Equal(t, doc.Lights["low"].Colour, after.Lights["low"].Colour)
	require.Zero(t, p.Facts.SunKelvin)
}

// A picture of what lies around stays: the day has a sky of its own beside it.
func TestADayLeavesPicturesAlone(t *testing.T) {
	picture := setup.Light{Name: "Marsh", Kind: setup.Sky, Output: 1, Colour: setup.Colour{RGB: &[3]float64{1, 1, 1}}, Carry: setup.Baked, Environment: &setup.Environment{Blob: strings.Repeat("a", 64), File: "marsh.exr"}}
	doc := document(t, map[string]setup.Light{"sky": picture})
	p, err := Make(doc, low())
	require.NoError(t, err)
	after := applied(t, doc, p)
	require.Equal(t, doc.Lights["sky"], after.Lights["sky"])
	require.Len(t, after.Lights, 3)
	require.NotNil(t, after.Lights[p.Day.Dome].Air)
}

func TestByTheClock(t *testing.T) {
	d := setup.Day{ByClock: true, Latitude: 39.742476, Longitude: -105.1786, Date: "2003-10-17", Hour: 12 + 30.0/60 + 30.0/3600, Zone: -7, North: 90, Sky: air.Clear()}
	require.NoError(t, Place(&d))
	require.InDelta(t, 90-50.11, d.Sky.SunHeight, 0.05)
	require.InDelta(t, 194.34+90, d.Sky.SunAzimuth, 0.05, "the north of the place is where the artist says")
	f := factsOf(&d, air.Glance(d.Sky))
	require.InDelta(t, 194.34, f.SunAzimuth, 0.05)
	d.Date = "yesterday"
	require.ErrorContains(t, Place(&d), "write it as 2026-10-14")
}

func TestADayAsAStrip(t *testing.T) {
	d := low()
	d.Latitude = 53.1
	strip, err := Strip(d)
	require.NoError(t, err)
	require.Len(t, strip, 49)
	require.Zero(t, strip[0].SunLux)
	noon := strip[24]
	require.InDelta(t, 28.8, noon.SunHeight, 1, "90 - 53.1 - 8.2 degrees of declination")
	up := 0
	for i, m := range strip {
		require.Regexp(t, "^#[0-9a-f]{6}$", m.Top)
		require.LessOrEqual(t, m.SunLux, noon.SunLux*1.02, "hour %g", m.Hour)
		if m.SunHeight > 0 {
			up++
		}
		if i > 0 && m.SunHeight > 2 && strip[i-1].SunHeight > 2 && m.Hour < 12 {
			require.Greater(t, m.SunKelvin, strip[i-1].SunKelvin, "it gets colder towards noon")
		}
	}
	require.InDelta(t, 21.5, float64(up), 1.5, "a day of about eleven hours")
}

// The moon is a light of its own: it stands where the clock has it, gives what the sky says,
// goes out with the day and is left where it is when it no longer shines. It never becomes the
// sun.
func TestTheMoonShinesAtNight(t *testing.T) {
	doc := document(t, map[string]setup.Light{})
	d := setup.Day{ByClock: true, Latitude: 53, Date: "2026-01-03", Hour: 23.5, Sky: air.Clear(), Moonlit: true} // full moon
	plan := func(d setup.Day) *Plan {
		p, err := Make(doc, d)
		require.NoError(t, err)
		doc = applied(t, doc, p)
		return p
	}
	p := plan(d)
	moon := doc.Lights[p.Day.Moon]
	require.Equal(t, "Moon", moon.Name)
	require.Greater(t, p.Facts.MoonLit, 0.98)
	require.Greater(t, p.Facts.MoonHeight, 50.0, "a full moon stands high in winter")
	require.InDelta(t, p.Facts.MoonLux, moon.Output*math.Sin(p.Facts.MoonHeight*math.Pi/180), 1e-4)
	require.InDelta(t, 0.17, p.Facts.MoonLux, 0.07, "published: a full moon gives 0.05 to 0.3 lx, by its height")
	require.NotEqual(t, p.Day.Sun, p.Day.Moon)
	require.Zero(t, doc.Lights[p.Day.Sun].Output)
	at := air.Direction(p.Day.Sky.MoonHeight, p.Day.Sky.MoonAzimuth)
	require.InDeltaSlice(t, []float64{-at[0], -at[1], -at[2]}, moon.Aim[:], 1e-4)

	d = p.Day
	d.Hour = 12
	noon := plan(d)
	require.Zero(t, doc.Lights[p.Day.Moon].Output, "not in the day")
	require.Equal(t, p.Day.Moon, noon.Day.Moon)
	d = noon.Day
	d.Hour, d.Moonlit = 23.5, false
	d.Sky.MoonLit = 0
	dark := plan(d)
	require.Zero(t, doc.Lights[p.Day.Moon].Output)
	require.Less(t, dark.Facts.SkyLux, p.Facts.SkyLux/3)
	require.Zero(t, dark.Facts.MoonLux)
	delete(doc.Lights, p.Day.Sun)
	d = dark.Day
	again := plan(d)
	require.NotEqual(t, p.Day.Moon, again.Day.Sun)
}
