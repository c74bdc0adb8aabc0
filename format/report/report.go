// Package report writes what a check found as one HTML file with its pictures in it, which
// needs nothing else to be read.
package report

import (
	_ "embed"
	"encoding/base64"
	"html/template"
	"io"

	"willowherb/core/guard"
)

//go:embed report.html
var page string

var tmpl = template.Must(template.New("report").Funcs(template.FuncMap{"png": func(b []byte) template.URL {
	return template.URL("data:image/png;base64," + base64.StdEncoding.EncodeToString(b)) //nolint: our own bytes
}, "bar": func(v, limit float64) int {
	if limit <= 0 {
		return 0
	}
	return int(min(100*v/limit, 100))
}}).Parse(page))

// Report is what is told.
type Report struct {
	Title  string
	Target string
	Passed bool
	Views  []View
	Routes []Route
	Checks []guard.Check
	Notes  []string
}

// View is a view's frame.
type View struct {
	Name    string
	PNG     []byte
	Ms, MB  float64
	LimitMs float64
	LimitMB float64
	Passes  []Line
	Lights  []Line
}

// Line is a name with a figure.
type Line struct {
	Name string
	Ms   float64
}

// Route is a walked route.
type Route struct {
	Name   string
	Metres float64
	Second float64
	// Cost, Light and Limit are lines of an SVG of 1000 by 200.
	Cost, Light, Limit string
	Spots              []Spot
}

// Spot is a worst step with what is seen from there.
type Spot struct {
	Says string
	At   float64
	PNG  []byte
}

// Write writes the report.
func Write(w io.Writer, r *Report) error { return tmpl.Execute(w, r) }
