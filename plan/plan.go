// Package plan decides what to render next: a pure function from how far every
// picture is to the next piece of work, which it names by keys. It knows neither
// pixels nor windows, and keeps nothing.
//
// A camera in motion comes before all else; then the figures of a setup that has
// changed; then the sights that windows show, coarse before fine and what is
// missing before what is there; thumbnails when every sight has a full picture of a
// few samples; then everything to its goal. Among equals the setup that has had
// least of the worker's time comes first.
package plan

import (
	"cmp"
	"math"
	"slices"
)

// Levels of a sight's picture: a quarter of the size with one bounce, half of it,
// all of it, and the thumbnail.
const (
	Coarse = iota
	Middle
	Full
	Thumb
	Levels
)

// Enough samples for a layer's own noise to be believed.
const Enough = 8

// Setup is what decides of an open setup.
type Setup struct {
	ID      int64
	Served  int64 // nanoseconds of work it has had
	Figures bool  // thumbnails and budgets are to be made again
	Eyes    []Eye
	Sights  []Sight
}

// Eye is a window as it looks.
type Eye struct {
	ID int64
	// Waiting says that it has moved and has no picture of where it is now.
	Waiting bool
	// Glancing says that it was moving a moment ago: the next picture for it would have
	// to wait for whatever is begun now.
	Glancing bool
}

// Sight is one way in which the place is seen.
type Sight struct {
	Key    string
	Shown  bool // by a window
	Saved  bool // it is a saved view's: it has a thumbnail
	Failed bool // its pictures could not be made; until the next edit
	Dull   bool // all that it has is small, and not yet on what is seen at full size
	Frames [Levels]Frame
}

// Frame is a sight at one size, with the layers that are wanted of it.
type Frame struct {
	Goal   int // samples at which it is finished
	Layers []Layer
	// Stale says that what was measured of the picture is of another exposure, curve or
	// gains.
	Stale bool
}

// Layer is how far one light's layer is.
type Layer struct {
	Key     [32]byte
	Samples int  // taken
	Version int  // samples as published; 0: not yet
	Clean   bool // what is left of its noise cannot be seen
	Finer   bool // it has been published at a larger size, or is to be next
}

// Kind is a kind of work.
type Kind int

// Kinds of work.
const (
	Idle    Kind = iota
	Motion       // a picture for an eye in motion
	Figures      // the thumbnails and budgets of a setup
	Measure      // what is told of a finished picture, once more
	Sharpen      // a picture at full size of the light of a smaller one
	Samples      // one more sample for the lights of a frame that have the fewest
)

// Job is a piece of work.
type Job struct {
	Kind  Kind
	Setup int64
	Eye   int64
	Sight string
	Level int
	Lamps [][32]byte
	From  int // samples they have
	// Owed says that they have had their samples, and only what follows them (more for
	// noisy pixels, publishing) is still to be done.
	Owed bool
}

// Publishes tells the numbers of samples at which layers are published: it costs
// more than a sample, and is done at the first and when they have doubled since.
func Publishes(samples, goal int) bool { return samples&(samples-1) == 0 || samples == goal }

// Ranks of work: the lowest is done first.
const (
	rankMotion = iota - 2
	rankFigures
	rankCoarse
	rankSharp   = 5
	rankMiddle  = 10
	rankFull    = 20
	rankThumb   = 21
	rankMeasure = 30
)

// Next chooses the most useful piece of work. restless says that nothing is begun
// since an eye is moving.
func Next(setups []Setup) (j Job, restless bool) {
	setups = slices.Clone(setups)
	slices.SortFunc(setups, func(a, b Setup) int { return cmp.Or(cmp.Compare(a.Served, b.Served), cmp.Compare(a.ID, b.ID)) })
	rank := math.MaxInt
	take := func(k Job, r int) {
		if r < rank {
			j, rank = k, r
		}
	}
	for i := range setups {
		s := &setups[i]
		if s.Figures {
			take(Job{Kind: Figures, Setup: s.ID}, rankFigures)
		}
		for _, e := range s.Eyes {
			if e.Waiting {
				take(Job{Kind: Motion, Setup: s.ID, Eye: e.ID}, rankMotion)
			} else if e.Glancing {
				restless = true
			}
		}
		for t := range s.Sights {
			sight := &s.Sights[t]
			if sight.Failed {
				continue
			}
			if sight.Dull && sight.Shown {
				take(Job{Kind: Sharpen, Setup: s.ID, Sight: sight.Key, Level: Full}, rankSharp)
			}
			for level, r := range [Levels]int{rankCoarse, rankMiddle, rankFull, rankThumb} {
				if level == Thumb && !sight.Saved || level != Thumb && !sight.Shown || r >= rank {
					continue
				}
				k, ok := sight.Frames[level].piece(level)
				if !ok {
					if sight.Frames[level].Stale {
						take(Job{Kind: Measure, Setup: s.ID, Sight: sight.Key, Level: level}, rankMeasure)
					}
					continue
				}
				k.Setup, k.Sight, k.Level = s.ID, sight.Key, level
				// Less refined before more refined, and thumbnails, which are quick, four samples
				// at a time.
				switch level {
				case Full:
					r += 2 * k.From
				case Thumb:
					r += k.From / 4
				}
				take(k, r)
			}
		}
	}
	if restless && rank >= rankCoarse {
		return Job{}, true
	}
	return j, false
}

// piece is the next work on a frame: for the layers that have the fewest samples.
func (f *Frame) piece(level int) (j Job, ok bool) {
	j = Job{Kind: Samples, From: math.MaxInt}
	for _, l := range f.Layers {
		if level < Full && l.Finer || l.Samples >= Enough && l.Clean {
			continue
		}
		owes := l.Samples > 0 && l.Version < l.Samples && Publishes(l.Samples, f.Goal)
		if l.Samples >= f.Goal && !owes {
			continue
		}
		if l.Samples < j.From || l.Samples == j.From && owes && !j.Owed {
			j.From, j.Owed, j.Lamps = l.Samples, owes, nil
		}
		if l.Samples == j.From && owes == j.Owed {
			j.Lamps = append(j.Lamps, l.Key)
		}
	}
	return j, len(j.Lamps) > 0
}

// Held is a sight as it fills memory.
type Held struct {
	Setup int64
	Sight string
	Saved bool  // a saved view's
	Kept  bool  // a window shows it, or has just moved away from it
	Used  int64 // when a window last showed it; counts up over all setups
	Bytes int   // of its pictures but the thumbnail
	Thumb int   // bytes of its thumbnail
}

// MaxPassing is how many sights of free cameras a setup keeps that no window shows.
const MaxPassing = 24

// Drop is a sight whose pictures are let go; of a saved view's all but the thumbnail.
type Drop struct {
	Setup int64
	Sight string
}

// LetGo chooses what to forget: sights of free cameras beyond MaxPassing of a setup,
// and over the budget of bytes, which is one for all setups, those that were longest
// not shown.
func LetGo(held []Held, budget int) (out []Drop) {
	held = slices.Clone(held)
	slices.SortFunc(held, func(a, b Held) int {
		return cmp.Or(cmp.Compare(a.Used, b.Used), cmp.Compare(a.Setup, b.Setup), cmp.Compare(a.Sight, b.Sight))
	})
	total, passing := 0, map[int64]int{}
	for _, h := range held {
		total += h.Bytes + h.Thumb
		if !h.Saved && !h.Kept {
			passing[h.Setup]++
		}
	}
	for _, h := range held {
		if h.Kept {
			continue
		}
		many := !h.Saved && passing[h.Setup] > MaxPassing
		if !many && (total <= budget || h.Saved && h.Bytes == 0) {
			continue
		}
		total -= h.Bytes
		if !h.Saved {
			passing[h.Setup]--
			total -= h.Thumb
		}
		out = append(out, Drop{h.Setup, h.Sight})
	}
	return out
}
