package refine

import (
	"time"

	"willowherb/core/setup"
	"willowherb/stage"
)

// Room is a setup as refine sees it: what it holds, who looks how, and a way to say
// what is new.
type Room interface {
	// State returns how things stand; nothing in it changes later.
	State() *State
	// Tell sends news to the eyes named, to all where none is named; in order.
	Tell(news News, eyes ...int64)
}

// News is something that windows are told. News with the same non-empty topic
// replaces what is still waiting to be sent.
type News interface{ Topic() string }

// State is a setup at one moment.
type State struct {
	Doc         *setup.Setup
	Revision    int64
	Place, File string // what the setup came with
	Eyes        []Eye
}

// Eye is how a window looks.
type Eye struct {
	ID     int64
	N      int64 // of its gaze; answers name it
	See    stage.Sight
	Blind  bool // there is nothing it could look at
	Moving bool
	Moves  int64     // counts the steps of a camera in motion
	Looked time.Time // when it last moved
	Alone  []string  // the only lights that pictures in motion show; none: all
	// Draft is what a drag under way would make of the document.
	Draft *setup.Setup
	// Asides are other states, to compare with.
	Asides []*setup.Setup
}
