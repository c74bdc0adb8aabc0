// Package refine makes the pictures of open setups: light layers, first hits,
// thumbnails, budgets, pictures for eyes in motion. It hears of edits and gazes as
// the windows do (State), makes the place ready, asks plan what is worth doing next,
// does it with one worker on all cores, and says what is new (Room.Tell). It knows
// no windows and no requests: an eye is a number and a way of seeing.
//
// What makes an entry stale: a sight is place, camera and what is left out; a frame
// (first hits and guide) is a sight and a size; a layer is its frame and the light's
// own key (setup.Lamp.Key); thumbnails and budgets are the document's revision and
// the layers they were made of.
package refine
