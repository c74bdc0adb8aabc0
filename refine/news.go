package refine

import (
	"fmt"

	"willowherb/core/budget"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/vec"
	"willowherb/stage"
)

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

// Facts are the facts of lamps by their ids.
func Facts(lamps []*lamps.Lamp) map[string]LampFact {
	out := make(map[string]LampFact, len(lamps))
	for _, l := range lamps {
		out[l.ID] = LampFact{stage.KeyName(l.Key), l.PerOutput, l.Shines(), l.PerUnit, l.Emitted(), rows(l.Frame)}
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

// Lamps tells the lamps of the document at a revision.
type Lamps struct {
	Type     string              `json:"type"` // "lamps"
	Revision int64               `json:"revision"`
	Lamps    map[string]LampFact `json:"lamps"`
}

// Drafted tells a window its lamps as its drag would have them.
type Drafted struct {
	Type  string              `json:"type"` // "drafted"
	Lamps map[string]LampFact `json:"lamps"`
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

// FrameNews tells of a picture's layers: of one sight at one size. View is set for
// thumbnails.
type FrameNews struct {
	Type    string `json:"type"` // "frame"
	Sight   string `json:"sight"`
	View    string `json:"view,omitempty"`
	Frame   string `json:"frame"`
	Width   int    `json:"width"`
	Height  int    `json:"height"`
	Level   int    `json:"level"` // 0 coarse to 2 full; 3: thumbnail
	Samples int    `json:"samples"`
	Goal    int    `json:"goal"` // where refinement ends
	// Error of the picture as it is shown: the root of the mean square, white being 1; 0
	// where it is not known. It counts as clean from Clean on, which takes about Settles
	// seconds of work.
	Error   float64              `json:"error"`
	Clean   float64              `json:"clean"`
	Settles float64              `json:"settles"`
	Layers  map[string]LayerNews `json:"layers"`
}

// LayerNews is one light's layer, by its key: how many samples it has, the address
// and the scale of the packed values of each part (all of it, bounced, shining, in
// the air; empty and 0 for none), and the mean colour of each kind for unit output.
type LayerNews struct {
	Version   int        `json:"version"`
	Parts     [4]string  `json:"parts"`
	Scales    [4]float64 `json:"scales"`
	Direct    [3]float64 `json:"direct"`
	Bounced   [3]float64 `json:"bounced"`
	Seen      [3]float64 `json:"seen"`
	Reflected [3]float64 `json:"reflected"`
	Air       [3]float64 `json:"air"`
}

// Figures are a view's thumbnail and budget at a revision.
type Figures struct {
	Type     string `json:"type"` // "figures"
	View     string `json:"view"`
	Revision int64  `json:"revision"`
	Thumb    int64  `json:"thumb"` // version of the thumbnail; 0: none yet
	// Budget is nil until the view's first hits are known: what it costs cannot be counted.
	Budget *budget.Frame `json:"budget,omitempty"`
}

// Topics: the newest of each is enough.

func (Lamps) Topic() string       { return "lamps" }
func (Drafted) Topic() string     { return "drafted" }
func (Sighted) Topic() string     { return "sighted" }
func (Preview) Topic() string     { return "preview" }
func (Failed) Topic() string      { return "" }
func (f FrameNews) Topic() string { return fmt.Sprintf("frame %s %d %s", f.Sight, f.Level, f.View) }
func (f Figures) Topic() string   { return "figures " + f.View }
