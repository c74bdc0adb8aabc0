// Package junit writes checks as JUnit XML, which build servers read.
package junit

import (
	"encoding/xml"
	"io"

	"willowherb/core/guard"
)

type suites struct {
	XMLName  xml.Name `xml:"testsuites"`
	Tests    int      `xml:"tests,attr"`
	Failures int      `xml:"failures,attr"`
	Skipped  int      `xml:"skipped,attr"`
	Suites   []*suite `xml:"testsuite"`
}

type suite struct {
	Name     string  `xml:"name,attr"`
	Tests    int     `xml:"tests,attr"`
	Failures int     `xml:"failures,attr"`
	Skipped  int     `xml:"skipped,attr"`
	Cases    []*test `xml:"testcase"`
}

type test struct {
	Name      string   `xml:"name,attr"`
	ClassName string   `xml:"classname,attr"`
	Failure   *message `xml:"failure,omitempty"`
	Skipped   *message `xml:"skipped,omitempty"`
	Out       string   `xml:"system-out,omitempty"`
}

type message struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

// Write writes checks, a suite for each view and route, named under name.
func Write(w io.Writer, name string, all []guard.Check) error {
	out := &suites{}
	by := map[string]*suite{}
	for _, c := range all {
		s := by[c.Of]
		if s == nil {
			s = &suite{Name: name + ": " + c.Of}
			by[c.Of] = s
			out.Suites = append(out.Suites, s)
		}
		t := &test{Name: c.Rule, ClassName: c.Of}
		switch c.State {
		case guard.Broken:
			t.Failure = &message{c.Says, c.Remedy}
			s.Failures++
			out.Failures++
		case guard.Unknown:
			t.Skipped = &message{Message: c.Says}
			s.Skipped++
			out.Skipped++
		default:
			t.Out = c.Says
		}
		s.Cases = append(s.Cases, t)
		s.Tests++
		out.Tests++
	}
	if _, err := io.WriteString(w, xml.Header); err != nil {
		return err
	}
	e := xml.NewEncoder(w)
	e.Indent("", "  ")
	if err := e.Encode(out); err != nil {
		return err
	}
	_, err := io.WriteString(w, "\n")
	return err
}
