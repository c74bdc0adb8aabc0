package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"willowherb/core/air"
	"willowherb/core/colour"
	"willowherb/core/environment"
	"willowherb/core/exposure"
	"willowherb/format/picture"
)

type skyCmd struct {
	SunHeight  float64 `help:"The sun's height over the horizon in degrees." default:"40"`
	SunAzimuth float64 `help:"Its azimuth in degrees, clockwise from the north (-Z)." default:"220"`
	At         string  `help:"Date and time with zone instead, as 2026-06-21T09:30:00+02:00; needs --latitude and --longitude."`
	Latitude   float64 `help:"Of the place, north positive."`
	Longitude  float64 `help:"Of the place, east positive."`
	Turbidity  float64 `help:"How much thicker air with haze is than air alone: 1 none, 2 clear, 4 hazy, to 10." default:"2"`
	Clouds     float64 `help:"Cover of an even layer, 0 to 1." default:"0"`
	Albedo     float64 `help:"Share of light that the ground around gives back, 0 to 1." default:"0.2"`
	MoonHeight float64 `help:"The moon's height in degrees."`
	MoonLit    float64 `help:"Lit share of the moon's disc, 0 for none."`
	Made       string  `help:"Write one of the made-up environments instead, with its sun: marsh dusk, marsh overcast or morning mist; needs --out."`
	Out        string  `help:"Write the dome, sun left out, as a latitude-longitude picture: .exr and .hdr in cd/m2, .png to look at."`
	Size       string  `help:"Size of that picture." default:"1024x512"`
	JSON       bool    `help:"Report as JSON." name:"json"`
}

// made writes a made-up environment, and says what it gives.
func (c *skyCmd) made() error {
	if c.Out == "" {
		return usage("--made %q needs --out: the file to write", c.Made)
	}
	m, err := environment.Made(c.Made)
	if err != nil {
		return err
	}
	png := func(out io.Writer) error {
		return picture.WritePNG(out, exposure.Develop(m.RGB, m.W, m.H, exposure.Metered(m.RGB), exposure.Shoulder))
	}
	if err := writePicture(c.Out, m.RGB, m.W, m.H, png); err != nil {
		return err
	}
	a := m.Measure()
	if c.JSON {
		return writeJSON(map[string]any{"made": c.Made, "out": c.Out, "width": m.W, "height": m.H, "horizontalLux": a.HorizontalLux, "sun": a.Sun})
	}
	fmt.Printf("%s: %s, %.4g lux on flat ground\n", c.Out, c.Made, a.HorizontalLux)
	return nil
}

func (c *skyCmd) Run(_ context.Context) error {
	s := air.Sky{SunHeight: c.SunHeight, SunAzimuth: c.SunAzimuth, Turbidity: c.Turbidity, Clouds: c.Clouds, Albedo: c.Albedo, MoonHeight: c.MoonHeight, MoonLit: c.MoonLit}
	if c.At != "" {
		at, err := time.Parse(time.RFC3339, c.At)
		if err != nil {
			return usage("--at %q is no time with a zone: write it as 2026-06-21T09:30:00+02:00", c.At)
		}
		if c.Latitude < -90 || c.Latitude > 90 || c.Longitude < -180 || c.Longitude > 180 {
			return usage("--latitude %g and --longitude %g are no place on the earth: -90 to 90 and -180 to 180", c.Latitude, c.Longitude)
		}
		s.SunHeight, s.SunAzimuth = air.SunAt(at, c.Latitude, c.Longitude)
	}
	if err := s.Check(); err != nil {
		return err
	}
	w, h, err := parseSize(c.Size)
	if err != nil {
		return err
	}
	if c.Out != "" {
		if err := pictureName(c.Out, ".exr", ".hdr", ".png"); err != nil {
			return err
		}
	}
	if c.Made != "" {
		return c.made()
	}
	d := air.Make(s)
	if c.Out != "" {
		rgb := d.Picture(w, h)
		png := func(out io.Writer) error {
			return picture.WritePNG(out, exposure.Develop(rgb, w, h, exposure.Metered(rgb), exposure.Shoulder))
		}
		if err := writePicture(c.Out, rgb, w, h, png); err != nil {
			return err
		}
	}
	kelvin := func(v colour.RGB) any {
		if colour.Luminance(v) <= 0 {
			return nil // there is none
		}
		return colour.NearestKelvin(v)
	}
	if c.JSON {
		return writeJSON(map[string]any{"sunHeight": s.SunHeight, "sunAzimuth": s.SunAzimuth, "sunLux": d.SunLux(), "skyLux": d.SkyLux(), "sunKelvin": kelvin(d.Sun), "skyKelvin": kelvin(d.Lux),
			"zenith": d.Zenith(), "horizon": d.Horizon(), "ground": colour.Luminance(d.Ground), "moonLux": d.MoonLux(), "out": c.Out})
	}
	fmt.Printf("sun %.1f degrees high, azimuth %.1f: %.4g lux on flat ground", s.SunHeight, s.SunAzimuth, d.SunLux())
	if k := kelvin(d.Sun); k != nil {
		fmt.Printf(", %.0f K", k)
	}
	fmt.Printf("\nsky %.4g lux, zenith %.4g cd/m2, horizon %.4g cd/m2\n", d.SkyLux(), d.Zenith(), d.Horizon())
	return nil
}
