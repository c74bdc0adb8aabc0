// Package demo makes the Saltmarsh pump house: a made-up tidal pumping station
// left to the marsh, with its keeper, and the lighting setup of an evening
// there. Everything is generated: the same program makes the same bytes.
//
// The hall lies along X (west to east) with its arched windows in the north wall
// (-Z). West of it the sluice door opens on a boardwalk through reeds; in the
// south wall a brick culvert leads down under the bank; at the east end the
// gauge room looks over the hall through glass.
package demo
