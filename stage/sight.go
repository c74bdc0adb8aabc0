package stage

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"slices"
	"strings"

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
// the stage of that key.
func (g *Sight) Key(stage string) string {
	h := sha256.New()
	v := &g.Camera
	b := byte(0)
	if g.Neutral {
		b = 1
	}
	h.Write([]byte(stage + "\x00" + strings.Join(slices.Sorted(slices.Values(g.Hidden)), "\x00")))
	h.Write([]byte{0, b})
	for _, f := range []float64{v.Eye[0], v.Eye[1], v.Eye[2], v.Aim[0], v.Aim[1], v.Aim[2], v.Roll, v.FovY, v.Aspect, g.Cut} {
		_ = binary.Write(h, binary.LittleEndian, f)
	}
	return KeyName([32]byte(h.Sum(nil)))
}

// KeyName shortens a key for addresses and messages.
func KeyName(k [32]byte) string { return hex.EncodeToString(k[:8]) }

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
