package reference

import (
	"encoding/json"
	"fmt"
	"math"

	"willowherb/core/colour"
	"willowherb/core/edits"
	"willowherb/core/grade"
	"willowherb/core/setup"
)

// Proposal is one change that would bring a picture nearer to a reference.
type Proposal struct {
	What  string     `json:"what"`  // exposure, contrast, balance, saturation, or a light
	By    string     `json:"by"`    // how much
	Would string     `json:"would"` // what it would change
	Ops   []edits.Op `json:"ops"`
}

// What differs by less is left alone.
const (
	leastStops    = 0.1
	leastShare    = 0.05
	leastMired    = 6
	leastChroma   = 1.5
	mostContrast  = 2.0
	mostSaturated = 2.0
)

// Picture is a picture that is to be moved: its setup as it is shown, the view, and the light
// that gives most of what is bright in it (empty for none).
type Picture struct {
	Setup *setup.Setup
	View  string
	Key   string // light
}

func op(path string, v any) edits.Op {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // plain data always marshals
	}
	return edits.Op{Op: "add", Path: path, Value: b}
}

func mired(kelvin float64) float64 { return 1e6 / max(kelvin, 1) }

// Towards proposes what would bring the picture, which measures now, to the reference, which
// measures then: each by itself, the strongest kind of change first.
func Towards(p Picture, now, then Measure) []Proposal {
	out := []Proposal{}
	g := grade.Neutral()
	if p.Setup.Grade != nil {
		g = *p.Setup.Grade
	}
	graded := func(change func(*grade.Grade)) []edits.Op {
		with := g
		change(&with)
		return []edits.Op{op("/grade", with)}
	}
	v, ok := p.Setup.Views[p.View]
	if d := math.Log2(max(then.Key, floor) / max(now.Key, floor)); ok && math.Abs(d) >= leastStops {
		// The curve holds lights back: a stop of key takes a little more than one.
		d = math.Round(min(max(1.1*d, -5), 5)*10) / 10
		out = append(out, Proposal{"exposure", fmt.Sprintf("%s st", signed(d, 1)), fmt.Sprintf("key %.2f to %.2f", now.Key, then.Key),
			[]edits.Op{op("/views/"+p.View+"/ev", math.Round((v.EV-d)*100)/100)}})
	}
	if now.Contrast > 0.1 && then.Contrast > 0.1 {
		k := min(max(then.Contrast/now.Contrast, 1/mostContrast), mostContrast)
		if to := math.Round(min(max(g.Contrast*k, 0.4), 3)*100) / 100; math.Abs(to/g.Contrast-1) >= leastShare {
			out = append(out, Proposal{"contrast", "×" + fmt.Sprintf("%.2f", to/g.Contrast), fmt.Sprintf("%.1f to %.1f stops between dark and light", now.Contrast, then.Contrast),
				graded(func(g *grade.Grade) { g.Contrast = to })})
		}
	}
	lights, shadows := mired(then.Lights)-mired(now.Lights), mired(then.Shadows)-mired(now.Shadows)
	if d := math.Round((lights + shadows) / 2); math.Abs(d) >= leastMired {
		was := 6500.0
		if g.White != nil {
			was = colour.NearestKelvin(colour.Unit(*g.White))
		}
		// A picture gets warmer as its neutral gets cooler.
		to := 1e6 / min(max(mired(was)-d, 1e6/15000), 1e6/1500)
		c := colour.Temperature(to)
		if math.Abs(mired(to)-mired(was)) < leastMired {
			d = 0 // it is as far as it goes
		}
		if d != 0 {
			out = append(out, Proposal{"balance", warmth(d), fmt.Sprintf("neutral at %.0f K in the place of %.0f K", math.Round(to/10)*10, math.Round(was/10)*10),
				graded(func(g *grade.Grade) { w := [3]float64(c); g.White = &w })})
		}
	}
	if d := then.Saturation - now.Saturation; math.Abs(d) >= leastChroma && now.Saturation > 0.5 {
		k := min(max(then.Saturation/now.Saturation, 1/mostSaturated), mostSaturated)
		if to := math.Round(min(max(g.Saturation*k, 0), 3)*100) / 100; math.Abs(to-g.Saturation) >= leastShare/2 {
			out = append(out, Proposal{"saturation", "×" + fmt.Sprintf("%.2f", k), fmt.Sprintf("mean chroma %.0f to %.0f", now.Saturation, then.Saturation),
				graded(func(g *grade.Grade) { g.Saturation = to })})
		}
	}
	if l, ok := p.Setup.Lights[p.Key]; ok && l.Colour.RGB == nil {
		// What the balance of the whole does not do: lights against shadows.
		if d := math.Round(lights - shadows); math.Abs(d) >= 2*leastMired {
			to := math.Round(1e6/min(max(mired(l.Colour.Kelvin)+d, 1e6/colour.MaxKelvin), 1e6/colour.MinKelvin)/10) * 10
			c := l.Colour
			if c.Kelvin = to; to == l.Colour.Kelvin {
				return out // it is as far as it goes
			}
			out = append(out, Proposal{l.Name, warmth(d), fmt.Sprintf("%.0f to %.0f K; lights against shadows", l.Colour.Kelvin, to), []edits.Op{op("/lights/"+p.Key+"/colour", c)}})
		}
	}
	return out
}

func signed(v float64, digits int) string {
	if v < 0 {
		return fmt.Sprintf("−%.*f", digits, -v)
	}
	return fmt.Sprintf("+%.*f", digits, v)
}

func warmth(d float64) string {
	if d < 0 {
		return fmt.Sprintf("cooler, −%.0f mired", -d)
	}
	return fmt.Sprintf("warmer, +%.0f mired", d)
}
