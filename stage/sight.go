package stage

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"slices"

	"willowherb/core/setup"
	"willowherb/core/world"
)

// Sight is how the place is seen: a camera, and what is left out. Two windows with
// the same sight share its pictures, and so do a saved view and a camera that stands
// where it does.
type Sight struct {
	Camera  setup.View // its name, order and exposure do not matter
	Neutral bool       // light alone, on matt grey
	Hidden  []string   // paths of objects that are not seen
	Cut     float64    // metres from the eye where seeing begins
}

// neutralGrey is the reflectance of the light-alone pictures.
const neutralGrey = 0.18

// Key names everything a picture depends on besides the lights and its size, for
// the stage of that key: it is the hash of all that a sight says.
func (g *Sight) Key(stage string) string {
	what := struct {
		Stage string
		Sight
	}{stage, *g}
	what.Camera.Name, what.Camera.Order, what.Camera.EV = "", 0, 0
	what.Hidden = slices.Sorted(slices.Values(g.Hidden))
	b, err := json.Marshal(what)
	if err != nil {
		panic(err) // plain data always marshals: sights are checked when they arrive
	}
	return KeyName(sha256.Sum256(b))
}

// KeyName writes a key for addresses and messages.
func KeyName(k [32]byte) string { return hex.EncodeToString(k[:]) }

// Pass returns the sight as the renderer takes it.
func (g *Sight) Pass(on *Stage) world.Sight {
	s := world.Sight{Cut: float32(g.Cut)}
	if g.Neutral {
		s.Neutral = neutralGrey
	}
	if len(g.Hidden) > 0 {
		s.Hidden = make([]bool, len(on.Scene.Objects))
		hidden := make(map[string]bool, len(g.Hidden))
		for _, p := range g.Hidden {
			hidden[p] = true
		}
		for i := range on.Scene.Objects {
			s.Hidden[i] = hidden[on.Scene.Objects[i].Path]
		}
	}
	return s
}
