package bench

import (
	"encoding/json"

	"willowherb/core/budget"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/store"
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
	PerOutput float64 `json:"perOutput"` // unit layers for one (linear) unit of output
	Shines    bool    `json:"shines"`
	// PerUnit is perOutput for each unit that the light may be told in.
	PerUnit map[setup.Unit]float64 `json:"perUnit"`
	// Colour that leaves it, gel and groups' shifts included.
	Colour [3]float64 `json:"colour"`
	// Frame is set where the light travels with a node: the rows of the matrix that
	// takes its place in the document to where it stands.
	Frame *[12]float64 `json:"frame,omitempty"`
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
	// Over are the values that somebody had set shortly before without knowing of
	// this edit, or this edit without knowing of theirs: last one wins.
	Over []store.Over `json:"over,omitempty"`
}

// Sighted tells a window which sight its gaze N sees.
type Sighted struct {
	Type  string `json:"type"` // "sighted"
	N     int64  `json:"n"`
	Sight string `json:"sight"`
}

// Preview is a picture for a camera in motion: RGB9_E5 words, little-endian.
type Preview struct {
	Type   string  `json:"type"` // "preview"
	N      int64   `json:"n"`    // the gaze it was made for
	Width  int     `json:"width"`
	Height int     `json:"height"`
	Scale  float64 `json:"scale"`
	Words  []byte  `json:"words"`
}

// Failed tells a window of something that could not be done.
type Failed struct {
	Type   string `json:"type"` // "fault"
	What   string `json:"what"`
	Remedy string `json:"remedy"`
}

// Drafted tells a window its lamps as its drag would have them.
type Drafted struct {
	Type  string              `json:"type"` // "drafted"
	Lamps map[string]LampFact `json:"lamps"`
}

// Present tells who is here: what each person is called, by their id.
type Present struct {
	Type    string            `json:"type"` // "present"
	People  map[string]string `json:"people"`
	Windows int               `json:"windows"`
}

// FrameNews tells of a picture's layers: of one sight at one size. View is set for
// thumbnails.
type FrameNews struct {
	Type    string               `json:"type"` // "frame"
	Sight   string               `json:"sight"`
	View    string               `json:"view,omitempty"`
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
// the packed values of each part (all of it, bounced, shining; 0 for none), and
// the mean colour of each kind for unit output.
type LayerNews struct {
	Version   int        `json:"version"`
	Scales    [3]float64 `json:"scales"`
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
	return Hello{"hello", s.ID, s.Project, s.File, s.Notes, s.revision, s.document, w.View, s.facts(s.lamps)}
}

func (s *Session) facts(lamps []*setup.Lamp) map[string]LampFact {
	out := map[string]LampFact{}
	for _, l := range lamps {
		out[l.ID] = LampFact{keyName(l.Key), l.PerOutput, l.Shines(), l.PerUnit, l.Emitted(), rows(l.Frame)}
	}
	return out
}

// rows are the upper three rows of a matrix, one after another.
func rows(m *vec.Mat4) *[12]float64 {
	if m == nil {
		return nil
	}
	var out [12]float64
	for r := range 3 {
		for c := range 4 {
			out[4*r+c] = float64(m[4*c+r])
		}
	}
	return &out
}
