package demo

import (
	"willowherb/core/setup"
	"willowherb/core/vec"
)

// Name is the demo project's name.
const Name = "Saltmarsh pump house"

func aim(from, to vec.V3) [3]float64 { return to.Sub(from).Norm().Array() }

// Setup returns the lighting of the evening: dusk outside, four lamps over the
// pumps, the keeper with lantern, key, fill and rim.
func Setup() *setup.Setup {
	s := &setup.Setup{Version: setup.Version, Name: "Evening", Target: "console-60", Curve: "shoulder", Opens: "hall",
		Groups: map[string]setup.Group{
			"outside": {Name: "Outside", Order: 1},
			"lamps":   {Name: "Hall lamps", Order: 2},
			"keeper":  {Name: "Keeper", Order: 3, Rig: &setup.Rig{Object: "Keeper", Pivot: keeperAt.Add(v(0, 1.6, 0)).Array(), Height: 1.78}},
		},
		Objects: map[string]setup.Object{
			"keeper": {Path: "Keeper", Part: setup.Mover, Pivot: keeperAt.Array()},
			"drone":  {Path: "Survey drone", Part: setup.Mover, Pivot: droneAt.Array()},
		},
		Lights: map[string]setup.Light{}, Views: map[string]setup.View{}, Looks: looks(), Base: "Ebb dusk"}
	order := 0.0
	add := func(id, group string, l setup.Light) {
		order++
		l.Group, l.Order, l.Channels, l.Shadow = group, order, 0xff, l.Kind != setup.Sky && l.ShadowMap > 0 || l.Kind == setup.Emissive
		s.Lights[id] = l
	}
	k := func(kelvin float64) setup.Colour { return setup.Colour{Kelvin: kelvin} }
	add("sky-dome", "outside", setup.Light{Name: "Sky dome", Kind: setup.Sky, Role: "ambient", Output: 90, Colour: k(9500), Carry: setup.Split,
		Gradient: &setup.Gradient{Zenith: [3]float64{0.42, 0.5, 0.68}, Horizon: [3]float64{1.45, 1.15, 0.9}, Ground: [3]float64{0.16, 0.15, 0.13}, Falloff: 0.42, Clouds: 0.45}})
	add("low-sun", "outside", setup.Light{Name: "Low sun", Kind: setup.Sun, Role: "key", Output: 900, Colour: k(2700), Aim: aim(v(-9.5, 8.6, -15), v(0, 0, 0)), Angle: 1.2, ShadowMap: 2048, Carry: setup.Split})
	add("marsh-bounce", "outside", setup.Light{Name: "Marsh bounce", Kind: setup.Rect, Role: "bounce", Output: 2600, Stops: -0.7, Colour: k(4300), Position: [3]float64{-15.5, 0.4, 0}, Aim: aim(v(-15.5, 0.4, 0), v(-8, 2.6, 0)), Width: 5, Height: 1.2, Range: 26, ShadowMap: 512, Carry: setup.Baked})
	win := func(x float64) ([3]float64, [3]float64) {
		p := v(x, 4.35, -hallZ-0.62)
		return p.Array(), v(0.1, -0.35, 1).Norm().Array()
	}
	p, d := win(-4.9)
	add("window-fill-west", "outside", setup.Light{Name: "Window fill west", Kind: setup.Rect, Role: "fill", Output: 1900, Stops: -0.5, Colour: k(8200), Position: p, Aim: d, Width: 1.8, Height: 2.9, Range: 18, ShadowMap: 512, Carry: setup.Baked})
	p, d = win(2.9)
	add("window-fill-east", "outside", setup.Light{Name: "Window fill east", Kind: setup.Rect, Role: "fill", Output: 1900, Stops: -0.5, Colour: k(8200), Position: p, Aim: d, Width: 1.8, Height: 2.9, Range: 18, ShadowMap: 512, Carry: setup.Baked})
	for i, at := range pumpLamps {
		n := []string{"1", "2", "3", "4"}[i]
		add("pump-lamp-"+n, "lamps", setup.Light{Name: "Pump lamp " + n, Kind: setup.Spot, Role: "practical", Output: 900, Stops: -0.3, Colour: k(2700), Position: at.Array(), Aim: [3]float64{0, -1, 0},
			Radius: 0.05, Inner: 28, Outer: 66, Range: 11, ShadowMap: 512, Carry: setup.Split})
	}
	add("culvert-lamp", "lamps", setup.Light{Name: "Culvert lamp", Kind: setup.Spot, Role: "practical", Output: 420, Colour: k(4100), Position: culvertLamp.Array(), Aim: [3]float64{0, -1, 0},
		Radius: 0.05, Inner: 20, Outer: 74, Range: 8, ShadowMap: 256, Carry: setup.Baked})
	add("desk-lamp", "lamps", setup.Light{Name: "Desk lamp", Kind: setup.Spot, Role: "practical", Output: 380, Colour: k(2600), Position: deskLamp.Add(deskAim.Scale(0.02)).Array(), Aim: deskAim.Array(),
		Radius: 0.03, Inner: 34, Outer: 68, Range: 7, ShadowMap: 256, Carry: setup.Baked})
	green := [3]float64{0.45, 1, 0.72}
	add("gauge-glow", "lamps", setup.Light{Name: "Gauge glow", Kind: setup.Emissive, Role: "practical", Output: 115, Colour: setup.Colour{RGB: &green}, Material: "Gauge dials", Carry: setup.Baked})
	add("lantern", "keeper", setup.Light{Name: "Lantern", Kind: setup.Point, Role: "practical", Output: 640, Stops: -0.3, Colour: k(2150), Position: flame.Array(), Radius: 0.03, Range: 12, ShadowMap: 1024, Carry: setup.Live})
	head := keeperAt.Add(v(0, 1.55, 0))
	key := head.Add(v(2.7, 1.3, 0.9))
	add("keeper-key", "keeper", setup.Light{Name: "Keeper key", Kind: setup.Spot, Role: "key", Output: 420, Stops: -0.9, Colour: k(3300), Position: key.Array(), Aim: aim(key, head), Radius: 0.12, Inner: 14, Outer: 24, Range: 9, ShadowMap: 1024, Carry: setup.Live})
	rim := head.Add(v(-1.7, 1.7, -2.2))
	add("rim-window", "keeper", setup.Light{Name: "Rim, window", Kind: setup.Spot, Role: "rim", Output: 520, Stops: 0.4, Colour: k(7800), Position: rim.Array(), Aim: aim(rim, head.Add(v(0, -0.15, 0))), Radius: 0.06, Inner: 12, Outer: 22, Range: 8, ShadowMap: 512, Carry: setup.Live})
	ev := map[string]float64{"Boardwalk": 7.6, "Hall": 4.3, "Keeper": 4.7, "Culvert": 1.8, "Gauge room": 3.6}
	ids := []string{"boardwalk", "hall", "keeper", "culvert", "gauge-room"}
	for i, c := range views() {
		s.Views[ids[i]] = setup.View{Name: c.Name, Order: float64(i), Eye: c.Eye.Array(), Aim: c.Aim.Array(), FovY: c.FovY * 57.29577951308232, Aspect: c.Aspect, EV: ev[c.Name]}
	}
	s.Bake = bakeRules()
	s.Routes = map[string]setup.Route{"round": round()}
	return s
}

// round is the way that the level is played: in from the marsh, down the culvert and back, up the
// stairs to the gauge room, and down from the catwalk.
func round() setup.Route {
	r := setup.StandardRoute()
	r.Name, r.Figure = "The keeper's round", "Keeper"
	r.Rules.Exit = 0.5
	for _, s := range []struct {
		name    string
		x, y, z float64
	}{{"boardwalk", -30, 0, -0.3}, {"sluice", -13, 0, 0}, {"hall", -9, 0, 1.5}, {"", -4.6, 0, 3.5}, {"culvert", -4.6, waterY, 5.6}, {"", -4.6, waterY, 15}, {"hall", -4.6, 0, 4.2}, {"", 2, 0, 3}, {"", -9, 0, 0},
		{"stairs", -11.3, 0, -2.6}, {"catwalk", -10, catwalkY, -4.25}, {"", 7, catwalkY, -4.25}, {"gauge room", 9.6, gaugeY, -3}, {"", 10.6, gaugeY, 2.5}, {"catwalk", 7, catwalkY, -4.25}, {"drop", 2, catwalkY, -4.2}, {"", 2, 0, -2.9}, {"", 3.5, 0, 1.5}} {
		r.Stops = append(r.Stops, setup.Stop{Name: s.name, At: [3]float64{s.x, s.y, s.z}})
	}
	return r
}

// bakeRules are how the pump house is baked: reflection probes in its rooms and before it, and
// probes where somebody falls from the catwalk.
func bakeRules() *setup.Bake {
	b := setup.StandardBake()
	mirror := func(name string, at, lo, hi [3]float64, pixels int) setup.Mirror {
		m := setup.Mirror{Name: name, Position: at, Pixels: pixels}
		for k := range 3 {
			m.Middle[k], m.Size[k] = (lo[k]+hi[k])/2, hi[k]-lo[k]
		}
		return m
	}
	b.Mirrors["hall"] = mirror("Hall", [3]float64{0.5, 2.4, 3}, [3]float64{-12, 0, -5}, [3]float64{8.5, 8.6, 5}, 128)
	b.Mirrors["gauge-room"] = mirror("Gauge room", [3]float64{10.2, 5.4, 1.5}, [3]float64{8.6, 4, -5}, [3]float64{12, 7.1, 5}, 64)
	b.Mirrors["culvert"] = mirror("Culvert", [3]float64{-4.6, 0.5, 11}, [3]float64{-5.9, -0.7, 5}, [3]float64{-3.3, 1.9, 19}, 64)
	b.Mirrors["marsh"] = mirror("Marsh", [3]float64{-22, 1.6, 0}, [3]float64{-60, -1, -40}, [3]float64{-12.6, 20, 40}, 64)
	b.Fill["catwalk-drop"] = setup.Box{Name: "Under the catwalk", Position: [3]float64{-2, 2.6, -3.6}, Size: [3]float64{18, 3.6, 1.6}}
	return &b
}
