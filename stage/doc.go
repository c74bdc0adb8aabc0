// Package stage makes places ready to be lit: a file is read, its geometry built
// into ray structures, posed and painted as a setup says, each step once for all
// setups that share it by content. It also joins in the files that lights refer to,
// and says how a place may be seen (Sight).
//
// What makes an entry stale: nothing. A file is its hash, and setup.StageOf names
// each step by the hash of what it depends on; the least used are let go.
package stage
