package room

import (
	"encoding/json"

	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/journal"
)

// Hello is the first message to a window, and the answer to a gap.
type Hello struct {
	Type     string          `json:"type"` // "hello"
	Setup    int64           `json:"setup"`
	Project  string          `json:"project"`
	File     string          `json:"file"`
	Notes    []string        `json:"notes"`
	Revision int64           `json:"revision"`
	Document json.RawMessage `json:"document"`
	View     string          `json:"view"`
	// You and Mine are the person and the window that the server takes this one for.
	You  string `json:"you"`
	Mine string `json:"mine"`
	// Broken says why the document makes no sense, if it does not: it can be taken back.
	Broken string `json:"broken,omitempty"`
}

// Edited tells a window of an edit by whomever.
type Edited struct {
	Type     string     `json:"type"` // "edited"
	Revision int64      `json:"revision"`
	Ops      []edits.Op `json:"ops"`
	Label    string     `json:"label"`
	Deed     edits.Deed `json:"deed"`
	Person   string     `json:"person"`
	Window   string     `json:"window"`
	Seq      int64      `json:"seq"`
	// Over are the values that somebody had set shortly before without knowing of
	// this edit, or this edit without knowing of theirs: last one wins.
	Over []journal.Over `json:"over,omitempty"`
}

// Present tells who is here: what each person is called, by their id.
type Present struct {
	Type    string            `json:"type"` // "present"
	People  map[string]string `json:"people"`
	Windows int               `json:"windows"`
}

// Away tells that the server waits for its database: edits are kept in the window
// until it is back.
type Away struct {
	Type string `json:"type"` // "away"
	Away bool   `json:"away"`
}

// Topics: of who is here and whether the database is, the newest is enough.

func (Hello) Topic() string   { return "" }
func (Edited) Topic() string  { return "" }
func (Present) Topic() string { return "present" }
func (Away) Topic() string    { return "away" }

// Gaze is how a window looks: at a saved view, or with a camera of its own.
type Gaze struct {
	N       int64       `json:"n"` // counts up; answers name it
	View    string      `json:"view"`
	Camera  *setup.View `json:"camera,omitempty"`
	Moving  bool        `json:"moving"`
	Neutral bool        `json:"neutral"`
	Hidden  []string    `json:"hidden,omitempty"`
	Cut     float64     `json:"cut"`
	Alone   []string    `json:"alone,omitempty"` // for the pictures of a moving camera
}

// maxNamed bounds what a gaze lists, and maxPath each of it.
const (
	maxNamed = 2000
	maxPath  = 1024
)

// Sound reports whether a gaze can be followed.
func (g *Gaze) Sound() bool {
	if len(g.Hidden) > maxNamed || len(g.Alone) > maxNamed || len(g.View) > maxPath || !(g.Cut >= 0 && g.Cut <= 1e6) {
		return false
	}
	for _, list := range [][]string{g.Hidden, g.Alone} {
		for _, s := range list {
			if len(s) > maxPath {
				return false
			}
		}
	}
	return g.Camera == nil || g.Camera.Check() == nil
}
