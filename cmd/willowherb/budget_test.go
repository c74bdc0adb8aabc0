package main

import (
	"context"
	"encoding/json"
	"math"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
	"willowherb/core/target"
)

// onFloor is a floor with two lamps, two views and a route.
func onFloor(t *testing.T) onTarget {
	doc := setuptest.Sample()
	doc.Groups, doc.Looks = map[string]setup.Group{}, map[string]setup.Look{}
	l := setup.Light{Name: "One", Kind: setup.Spot, Output: 900, Colour: setup.Colour{Kelvin: 4000}, Position: [3]float64{0, 3, 0}, Aim: [3]float64{0, -1, 0}, Inner: 20, Outer: 45, Range: 8, Shadow: true, ShadowMap: 512, Carry: setup.Live, Channels: 0xff}
	two := l
	two.Name, two.Position, two.Order = "Two", [3]float64{3, 3, 2}, 1
	doc.Lights = map[string]setup.Light{"one": l, "two": two}
	doc.Views = map[string]setup.View{"a": {Name: "High", Eye: [3]float64{0, 5, 4}, Aim: [3]float64{0, -1, -0.8}, FovY: 50, Aspect: 1.6, EV: 3}, "b": {Name: "Low", Order: 1, Eye: [3]float64{-4, 1.6, 0}, Aim: [3]float64{1, -0.2, 0}, FovY: 40, Aspect: 1.6, EV: 3}}
	r := setup.StandardRoute()
	r.Stops = []setup.Stop{{At: [3]float64{-3, 0, 0}}, {At: [3]float64{3, 0, 0}}}
	r.Rules = setup.Rules{Lux: 0.001}
	doc.Routes = map[string]setup.Route{"r": r}
	require.NoError(t, doc.Validate())
	p := filepath.Join(t.TempDir(), "setup.json")
	require.NoError(t, os.WriteFile(p, doc.JSON(), 0o600))
	return onTarget{litPlace: litPlace{File: floor(t), Setup: p}}
}

func asked(t *testing.T, v any, run func(context.Context) error) error {
	out, err := said(t, func() error { return run(context.Background()) })
	if v != nil && out != "" {
		require.NoError(t, json.Unmarshal([]byte(out), v), out)
	}
	return err
}

type costs struct {
	Ms     float64 `json:"ms"`
	Passes []struct {
		Name    string  `json:"name"`
		Ms      float64 `json:"ms"`
		Formula string  `json:"formula"`
	} `json:"passes"`
	Lights []struct {
		ID     string             `json:"id"`
		Ms     float64            `json:"ms"`
		Counts map[string]float64 `json:"counts"`
	} `json:"lights"`
	OwnMs float64 `json:"ownMs"`
}

func TestCostAddsUpAndTakesTargets(t *testing.T) {
	on := onFloor(t)
	var all, other costs
	require.NoError(t, asked(t, &all, (&costCmd{onTarget: on, View: "low", Every: 1, JSON: true}).Run))
	sum, lit := 0.0, all.OwnMs
	for _, p := range all.Passes {
		sum += p.Ms
		require.NotEmpty(t, p.Formula)
	}
	for _, l := range all.Lights {
		lit += l.Ms
		require.Positive(t, l.Counts["spot"])
	}
	require.InDelta(t, all.Ms, sum, 1e-9)
	require.InDelta(t, all.Ms, lit, 1e-9)
	on.Target = "handheld, 30 frames"
	require.NoError(t, asked(t, &other, (&costCmd{onTarget: on, View: "low", Every: 1, JSON: true}).Run))
	require.Greater(t, other.Ms, all.Ms)
	for target, says := range map[string]string{"nothing": "neither a target nor a file", on.File: "no target"} {
		on.Target = target
		require.ErrorContains(t, asked(t, nil, (&costCmd{onTarget: on, Every: 1}).Run), says)
	}
	on.Target = ""
	require.ErrorContains(t, asked(t, nil, (&costCmd{onTarget: on, View: "no", Every: 1}).Run), `"no" is not there; there are: High, Low`)
	require.ErrorContains(t, asked(t, nil, (&costCmd{onTarget: on}).Run), "--every")
}

// Measured on the simulated device and fitted, a target says a view that it has not seen.
func TestDeviceToCalibratedTarget(t *testing.T) {
	on := onFloor(t)
	csv, fitted := filepath.Join(t.TempDir(), "t.csv"), filepath.Join(t.TempDir(), "fit.json")
	require.NoError(t, asked(t, nil, (&deviceCmd{onTarget: on, Seed: 4, Views: "High,Low", Frames: 16, Out: csv}).Run))
	var fit struct {
		Target    target.Target `json:"target"`
		Residuals []any         `json:"residuals"`
		Cameras   []struct {
			Measured, Fitted float64
		} `json:"cameras"`
	}
	require.NoError(t, asked(t, &fit, (&calibrateCmd{onTarget: on, Timings: csv, Out: fitted, Scale: 1, JSON: true}).Run))
	require.Equal(t, "console-60-measured", fit.Target.ID)
	require.Len(t, fit.Cameras, 2)
	require.Len(t, fit.Residuals, 20)
	data, err := os.ReadFile(fitted)
	require.NoError(t, err)
	file, err := target.Parse("fit.json", data)
	require.NoError(t, err)
	require.Equal(t, fit.Target, *file)
	on.Target = fitted
	var c costs
	require.NoError(t, asked(t, &c, (&costCmd{onTarget: on, View: "High", Every: 1, JSON: true}).Run))
	require.InEpsilon(t, fit.Cameras[0].Measured, c.Ms, 0.05)
	// Another layout, microseconds, and names of its own.
	require.NoError(t, os.WriteFile(csv, []byte("View;No;Sky\nHigh;0;250\nLow;0;260\nCellar;0;1\n"), 0o600))
	on.Target = ""
	var other struct {
		Notes   []string
		Untimed []string
	}
	require.NoError(t, asked(t, &other, (&calibrateCmd{onTarget: on, Timings: csv, Wide: true, Columns: "camera=View,frame=No", Passes: "Sky=post", Scale: 0.001, JSON: true}).Run))
	require.Len(t, other.Untimed, 9)
	require.Contains(t, other.Notes[0], `"Cellar" is no view`)
	require.ErrorContains(t, asked(t, nil, (&calibrateCmd{onTarget: on, Timings: csv, Columns: "camera"}).Run), "name=value")
	require.ErrorContains(t, asked(t, nil, (&calibrateCmd{onTarget: on, Timings: csv, Columns: "when=No"}).Run), "none of camera, frame, pass, ms")
}

func TestSavingsOfASetup(t *testing.T) {
	on := onFloor(t)
	var before costs
	require.NoError(t, asked(t, &before, (&costCmd{onTarget: on, View: "High", Every: 1, JSON: true}).Run))
	var r struct {
		Reached bool `json:"reached"`
		Chosen  []int
		Views   []struct {
			BeforeMs, AfterMs float64
		}
	}
	limit := before.Ms * 0.9
	require.NoError(t, asked(t, &r, (&savingsCmd{onTarget: on, Views: "High", Limit: limit, Samples: 2, JSON: true}).Run))
	require.True(t, r.Reached)
	require.NotEmpty(t, r.Chosen)
	require.InDelta(t, before.Ms, r.Views[0].BeforeMs, 1e-9)
	require.LessOrEqual(t, r.Views[0].AfterMs, limit)
	require.ErrorContains(t, asked(t, nil, (&savingsCmd{onTarget: on, Limit: math.NaN(), Samples: 2}).Run), "--limit")
}

func TestCheckTellsABuild(t *testing.T) {
	on := onFloor(t)
	dir := t.TempDir()
	c := checkCmd{onTarget: on, Each: 1, JUnit: filepath.Join(dir, "j.xml"), Report: filepath.Join(dir, "r.html"), JSON: true}
	var r struct {
		Passed bool
		Checks []struct{ Of, Rule, State string }
	}
	require.NoError(t, asked(t, &r, c.Run), "a floor with two lamps is within the console's budget")
	require.True(t, r.Passed)
	for _, f := range []string{c.JUnit, c.Report} {
		st, err := os.Stat(f)
		require.NoError(t, err)
		require.Greater(t, st.Size(), int64(500))
	}
	// A target with a limit that it breaks.
	dev := target.All()[0]
	dev.Limits.Ms = 0.1
	p := filepath.Join(dir, "t.json")
	require.NoError(t, os.WriteFile(p, dev.JSON(), 0o600))
	c.Target, c.Report = p, ""
	require.ErrorIs(t, asked(t, &r, c.Run), errBroken)
	require.False(t, r.Passed)
	c.Route = "none"
	n := len(r.Checks)
	require.ErrorIs(t, asked(t, &r, c.Run), errBroken)
	require.Less(t, len(r.Checks), n)
	c.Route = "nowhere"
	require.ErrorContains(t, asked(t, nil, c.Run), `route "nowhere" is not there; there are: Route`)
	rc := routeCmd{onTarget: on, Each: 0, JSON: true}
	require.ErrorContains(t, asked(t, nil, rc.Run), "--each")
}

// A step of a route costs what the walk says of it; its savings are counted at its steps; a bake of other lights is
// refused, one of these tells what its memory could be.
func TestAStepOfARoute(t *testing.T) {
	on := onFloor(t)
	var w struct {
		Steps []struct{ Metres, Ms float64 }
		Exits []any
	}
	require.NoError(t, asked(t, &w, (&routeCmd{onTarget: on, Each: 0.5, JSON: true}).Run))
	require.Empty(t, w.Exits, "a bare floor")
	for _, k := range []int{0, 5, len(w.Steps) - 1} {
		var c costs
		require.NoError(t, asked(t, &c, (&costCmd{onTarget: on, Route: "r", At: w.Steps[k].Metres, Every: 6, JSON: true}).Run))
		require.InDelta(t, w.Steps[k].Ms, c.Ms, 1e-6)
	}
	require.ErrorContains(t, asked(t, nil, (&costCmd{onTarget: on, Route: "r", At: 99, Every: 1}).Run), "the metres of the route")
	require.ErrorContains(t, asked(t, nil, (&costCmd{onTarget: on, Route: "no", Every: 1}).Run), "is not there")

	dir := filepath.Join(t.TempDir(), "bake")
	data, err := os.ReadFile(on.Setup)
	require.NoError(t, err)
	var doc setup.Setup
	require.NoError(t, json.Unmarshal(data, &doc))
	one := doc.Lights["one"]
	one.Carry = setup.Baked
	doc.Lights["one"] = one
	rules := setup.StandardBake()
	rules.Density = 16
	doc.Bake = &rules
	baked := filepath.Join(t.TempDir(), "baked.json")
	require.NoError(t, os.WriteFile(baked, doc.JSON(), 0o600))
	require.NoError(t, asked(t, nil, (&bakeCmd{litPlace: litPlace{File: on.File, Setup: baked}, Quality: "draft", Out: dir, JSON: true}).Run))
	on.Bake = dir
	s := savingsCmd{onTarget: on, Route: "r", Each: 2, Limit: 100, Samples: 1, JSON: true}
	require.ErrorContains(t, asked(t, nil, s.Run), "bake again")
	s.Setup = baked
	var r struct {
		Views   []struct{ Step int }
		Others  int
		Changes []struct {
			What    string
			Rebake  bool
			SavedMB float64
		}
	}
	require.NoError(t, asked(t, &r, s.Run))
	require.Len(t, r.Views, 1, "the dearest step, since none is over")
	require.Equal(t, 3, r.Others)
	pages := 0
	for _, c := range r.Changes {
		if c.Rebake {
			pages++
			require.Positive(t, c.SavedMB)
		}
	}
	require.Positive(t, pages)
}
