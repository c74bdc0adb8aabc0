package setup

// Reference is a picture on the board of a view, or a note without one.
type Reference struct {
	View  string  `json:"view"` // id; empty: of all views
	Order float64 `json:"order"`
	Blob  string  `json:"blob,omitempty"`
	File  string  `json:"file,omitempty"`
	Note  string  `json:"note"`
}

// MaxReferences bounds the references of a setup, MaxNote the letters of a note.
const (
	MaxReferences = 500
	MaxNote       = 2000
)

func (r *Reference) validate(c *checker, at, id string) {
	c.id(at, id)
	c.text(at+"/view", r.View, maxText)
	c.text(at+"/note", r.Note, MaxNote)
	c.num(at+"/order", r.Order, -1e9, 1e9)
	c.ok(r.Blob == "" || len(r.Blob) == 64 && r.File != "" && len(r.File) <= 600, at+"/blob", "names no file that is kept")
}
