package bench

import (
	"encoding/json"

	"willowherb/core/budget"
	"willowherb/core/setup"
)

// Hello is the first message to a window, and the answer to a gap.
type Hello struct {
	Type     string              `json:"type"` // "hello"
	Setup    int64               `json:"setup"`
	Project  string              `json:"project"`
	File     string              `json:"file"`
	Notes    []string            `json:"notes"`
	Revision int64               `json:"revision"`
	Document json.RawMessage     `json:"document"`
	View     string              `json:"view"`
	Lamps    map[string]LampFact `json:"lamps"`
}

// LampFact is what the browser needs of a light besides the document.
type LampFact struct {
	Key       string  `json:"key"`       // names its layers
	PerOutput float64 `json:"perOutput"` // unit layers for one unit of output
	Shines    bool    `json:"shines"`
}

// Edited tells a window of an edit by whomever.
type Edited struct {
	Type     string              `json:"type"` // "edited"
	Revision int64               `json:"revision"`
	Ops      []setup.Op          `json:"ops"`
	Label    string              `json:"label"`
	Deed     setup.Deed          `json:"deed"`
	Person   string              `json:"person"`
	Window   string              `json:"window"`
	Seq      int64               `json:"seq"`
	Lamps    map[string]LampFact `json:"lamps"`
}

// FrameNews tells of a picture's layers: of one view at one size.
type FrameNews struct {
	Type    string               `json:"type"` // "frame"
	View    string               `json:"view"`
	Frame   string               `json:"frame"`
	Width   int                  `json:"width"`
	Height  int                  `json:"height"`
	Level   int                  `json:"level"` // 0 coarse to 2 full; 3: thumbnail
	Samples int                  `json:"samples"`
	Goal    int                  `json:"goal"`  // where refinement ends
	Noise   float64              `json:"noise"` // share of the finished picture
	Layers  map[string]LayerNews `json:"layers"`
}

// LayerNews is one light's layer, by its key: the version to fetch, the scale of
// its packed values, and the mean colour of each kind for unit output.
type LayerNews struct {
	Version   int        `json:"version"`
	Scale     float64    `json:"scale"`
	Direct    [3]float64 `json:"direct"`
	Bounced   [3]float64 `json:"bounced"`
	Seen      [3]float64 `json:"seen"`
	Reflected [3]float64 `json:"reflected"`
}

// Figures are a view's thumbnail and budget at a revision.
type Figures struct {
	Type     string       `json:"type"` // "figures"
	View     string       `json:"view"`
	Revision int64        `json:"revision"`
	Thumb    int64        `json:"thumb"` // version of the thumbnail; 0: none yet
	Budget   budget.Frame `json:"budget"`
}

func (s *Session) hello(w *Window) Hello {
	return Hello{"hello", s.ID, s.Project, s.File, s.Notes, s.revision, s.document, w.View, s.lampFacts()}
}

func (s *Session) lampFacts() map[string]LampFact {
	out := map[string]LampFact{}
	for _, l := range s.lamps {
		out[l.ID] = LampFact{keyName(l.Key), l.PerOutput, l.Shines()}
	}
	return out
}
