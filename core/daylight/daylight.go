// Package daylight sets a setup's sun and sky by the hour, or by where the sun stands, so
// that both agree in place, level and colour; and tells how they go through a day.
package daylight

import (
	"cmp"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"

	"willowherb/core/air"
	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/setup"
)

// Facts are what sun and sky give: lux on flat ground, cd/m2, kelvin (0 where there is no
// light to have a temperature), degrees; azimuths clockwise from the north of the place.
type Facts struct {
	SunHeight  float64 `json:"sunHeight"`
	SunAzimuth float64 `json:"sunAzimuth"`
	SunLux     float64 `json:"sunLux"`
	SkyLux     float64 `json:"skyLux"`
	SunKelvin  float64 `json:"sunKelvin"`
	SkyKelvin  float64 `json:"skyKelvin"`
	Zenith     float64 `json:"zenith"`
	Horizon    float64 `json:"horizon"`
	// The moon, where it shines; Lit is the lit share of its disc.
	MoonHeight  float64 `json:"moonHeight"`
	MoonAzimuth float64 `json:"moonAzimuth"`
	MoonLit     float64 `json:"moonLit"`
	MoonLux     float64 `json:"moonLux"`
	// Shadow is how many times as long as it is high a thing's shadow is; 0: it casts none.
	Shadow float64 `json:"shadow"`
}

// Plan is what a day makes of a setup.
type Plan struct {
	Day   setup.Day  `json:"day"`
	Facts Facts      `json:"facts"`
	Ops   []edits.Op `json:"ops"`
}

// Standard is the day of a setup that has none: by hand, with the sun where the setup's
// first sun stands.
func Standard(doc *setup.Setup) setup.Day {
	d := setup.Day{Latitude: 53, Longitude: 0, Date: "2026-10-14", Hour: 17.5, Sky: air.Clear()}
	if id := follower(doc, "", "", setup.Sun); id != "" {
		if a := doc.Lights[id].Aim; length(a) > 0 {
			k := -1 / length(a)
			d.Sky.SunHeight, d.Sky.SunAzimuth = air.Bearing([3]float64{a[0] * k, a[1] * k, a[2] * k})
		}
	}
	return d
}

func length(v [3]float64) float64 { return math.Sqrt(v[0]*v[0] + v[1]*v[1] + v[2]*v[2]) }

// Place puts a day's sun where its clock has it, if it goes by the clock. Error: the date,
// or a value that is out of its range.
func Place(d *setup.Day) error {
	if d.ByClock {
		at, err := d.At()
		if err != nil {
			return err
		}
		h, az := air.SunAt(at, d.Latitude, d.Longitude)
		d.Sky.SunHeight, d.Sky.SunAzimuth = round(h), round(math.Mod(az+d.North+720, 360))
		if d.Moonlit {
			h, az, lit := air.MoonAt(at, d.Latitude, d.Longitude)
			d.Sky.MoonHeight, d.Sky.MoonAzimuth, d.Sky.MoonLit = round(h), round(math.Mod(az+d.North+720, 360)), round(lit)
		}
	}
	return d.Sky.Check()
}

// Make works out what a day makes of the setup's sun and sky: the edits that set them, and
// what they give. The artist's stops stay as they are. Error: as in Place.
func Make(doc *setup.Setup, d setup.Day) (*Plan, error) {
	if err := Place(&d); err != nil {
		return nil, err
	}
	dome := air.Make(d.Sky)
	p := &Plan{Facts: factsOf(&d, dome)}
	d.Sun, d.Dome = follower(doc, d.Sun, d.Moon, setup.Sun), follower(doc, d.Dome, "", setup.Sky)
	d.Sun = p.far(doc, d.Sun, far{"sun", "Sun", d.Sky.SunHeight, d.Sky.SunAzimuth, air.SunDiameter, 6000, dome.Sun})
	if l, ok := doc.Lights[d.Moon]; d.Moon != "" && (!ok || l.Kind != setup.Sun) {
		d.Moon = ""
	}
	if d.Moonlit || d.Moon != "" {
		beam := dome.Moon
		if !d.Moonlit {
			beam = colour.RGB{}
		}
		d.Moon = p.far(doc, d.Moon, far{"moon", "Moon", d.Sky.MoonHeight, d.Sky.MoonAzimuth, moonDiameter, 4100, beam})
	}
	p.sky(doc, &d, dome)
	p.Day = d
	p.put("add", "/day", d)
	return p, nil
}

func factsOf(d *setup.Day, dome *air.Dome) Facts {
	kelvin := func(c colour.RGB) float64 {
		if !(colour.Luminance(c) > 0) {
			return 0
		}
		return math.Round(colour.NearestKelvin(c))
	}
	f := Facts{SunHeight: d.Sky.SunHeight, SunAzimuth: math.Mod(d.Sky.SunAzimuth-d.North+720, 360), SunLux: dome.SunLux(), SkyLux: dome.SkyLux(), SunKelvin: kelvin(dome.Sun), SkyKelvin: kelvin(dome.Lux), Zenith: dome.Zenith(), Horizon: dome.Horizon()}
	if d.Moonlit {
		f.MoonHeight, f.MoonAzimuth, f.MoonLit, f.MoonLux = d.Sky.MoonHeight, math.Mod(d.Sky.MoonAzimuth-d.North+720, 360), d.Sky.MoonLit, dome.MoonLux()
	}
	if f.SunLux > 0 {
		f.Shadow = 1 / math.Tan(d.Sky.SunHeight*math.Pi/180)
	}
	return f
}

// follower is the light of a kind that follows the day: the one that did, or the first. A
// sky that shows a picture is the artist's own, and follows nothing; nor does the light but.
func follower(doc *setup.Setup, was, but string, kind setup.Kind) string {
	fits := func(id string) bool {
		l, ok := doc.Lights[id]
		return ok && (but == "" || id != but) && l.Kind == kind && l.Environment == nil
	}
	if fits(was) {
		return was
	}
	ids := slices.Sorted(maps.Keys(doc.Lights))
	slices.SortStableFunc(ids, func(a, b string) int { return cmp.Compare(doc.Lights[a].Order, doc.Lights[b].Order) })
	for _, id := range ids {
		if fits(id) {
			return id
		}
	}
	return ""
}

func (p *Plan) put(op, path string, value any) {
	b, err := json.Marshal(value)
	if err != nil {
		panic(err) // plain values
	}
	p.Ops = append(p.Ops, edits.Op{Op: op, Path: path, Value: b})
}

// added puts a new light at the end of the list, and returns its id.
func (p *Plan) added(doc *setup.Setup, id string, l setup.Light) string {
	for n := 2; ; n++ {
		if _, taken := doc.Lights[id]; !taken {
			break
		}
		id = fmt.Sprintf("%s-%d", l.Kind, n)
	}
	for _, other := range doc.Lights {
		l.Order = max(l.Order, other.Order+1)
	}
	p.put("add", "/lights/"+id, l)
	return id
}

// moonDiameter is the moon's mean angular diameter, degrees.
const moonDiameter = 0.518

// far is a light of the sky that follows the day: its beam is its illuminance square to it.
type far struct {
	id, name                string
	height, azimuth         float64
	diameter, kelvinAtNight float64
	beam                    colour.RGB
}

// far sets a light, or adds it where id is empty, and returns its id.
func (p *Plan) far(doc *setup.Setup, id string, f far) string {
	aim := air.Direction(f.height, f.azimuth)
	for k := range aim {
		aim[k] = round(-aim[k])
	}
	lux := round(colour.Luminance(f.beam))
	tone := setup.Colour{RGB: rounded(colour.Unit(f.beam))}
	if id == "" {
		if lux == 0 {
			tone = setup.Colour{Kelvin: f.kelvinAtNight}
		}
		return p.added(doc, f.id, setup.Light{Name: f.name, Kind: setup.Sun, Output: lux, Colour: tone, Aim: aim, Angle: f.diameter, Shadow: true, ShadowMap: 2048, Carry: setup.Split, Channels: 255})
	}
	at := "/lights/" + id
	p.put("replace", at+"/aim", aim)
	p.put("replace", at+"/output", lux)
	p.put("add", at+"/unit", "")
	if lux > 0 {
		p.put("replace", at+"/colour", tone)
	}
	return id
}

func (p *Plan) sky(doc *setup.Setup, d *setup.Day, dome *air.Dome) {
	out := round(dome.SkyLux() / math.Pi)
	tone := setup.Colour{RGB: rounded(colour.Unit(dome.Lux))}
	if d.Dome == "" {
		d.Dome = p.added(doc, "sky", setup.Light{Name: "Sky", Kind: setup.Sky, Output: out, Colour: tone, Shadow: true, Carry: setup.Baked, Channels: 255, Air: &d.Sky})
		return
	}
	at := "/lights/" + d.Dome
	p.put("add", at+"/air", d.Sky)
	p.put("replace", at+"/output", out)
	p.put("add", at+"/unit", "")
	p.put("replace", at+"/colour", tone)
	if doc.Lights[d.Dome].Gradient != nil {
		p.Ops = append(p.Ops, edits.Op{Op: "remove", Path: at + "/gradient"})
	}
}

// round keeps five digits, so that a document stays readable.
func round(v float64) float64 {
	if v == 0 || math.IsInf(v, 0) {
		return 0
	}
	k := math.Pow(10, 4-math.Floor(math.Log10(math.Abs(v))))
	return math.Round(v*k) / k
}

func rounded(c colour.RGB) *[3]float64 { return &[3]float64{round(c[0]), round(c[1]), round(c[2])} }

// Moment is an hour of a day's strip.
type Moment struct {
	Hour      float64 `json:"hour"`
	SunHeight float64 `json:"sunHeight"`
	SunLux    float64 `json:"sunLux"`
	SkyLux    float64 `json:"skyLux"`
	SunKelvin float64 `json:"sunKelvin"`
	// Top and Foot are the sky overhead and low down towards the sun as a strip shows
	// them: their colours as sRGB codes, as bright as the eye that gets used to them has it.
	Top  string `json:"top"`
	Foot string `json:"foot"`
}

// stripSteps are those of a strip: every half hour.
const stripSteps = 48

// Strip goes through a day by its clock. Error: as in Place.
func Strip(d setup.Day) ([]Moment, error) {
	d.ByClock = true
	out := make([]Moment, 0, stripSteps+1)
	for i := range stripSteps + 1 {
		d.Hour = 24 * float64(i) / stripSteps
		if err := Place(&d); err != nil {
			return nil, err
		}
		dome := air.Glance(d.Sky)
		f := factsOf(&d, dome)
		out = append(out, Moment{Hour: d.Hour, SunHeight: f.SunHeight, SunLux: f.SunLux, SkyLux: f.SkyLux, SunKelvin: f.SunKelvin,
			Top: shown(dome.Towards(80, d.Sky.SunAzimuth+180)), Foot: shown(dome.Towards(3, d.Sky.SunAzimuth+20))})
	}
	return out, nil
}

// shown is a luminance as an eye sees it that is used to as much: white at full daylight,
// a seventh of the screen's light for each hundredth of it.
func shown(c colour.RGB) string {
	l := colour.Luminance(c)
	if !(l > 0) {
		return "#000000"
	}
	k := min(math.Pow(l/6000, 0.42), 0.8) / l
	code := "#"
	for _, v := range c {
		code += fmt.Sprintf("%02x", int(math.Round(255*colour.EncodeSRGB(min(max(v*k, 0), 1)))))
	}
	return code
}
