// Package farm does long work: bakes, cut into tiles, an object each, as jobs of the River
// queue in the database. A bake is asked for and its first job put in by one transaction; any
// process with the database's address may take part (Work), and the server does. Jobs carry
// keys and no more. A tile's layers and its end are one transaction: a process that dies
// costs its tile, which another takes up once its signs of life have stopped (tend). Layers
// are kept by the hash of all that they depend on, so that only what changed is made, and the
// bits are the same whoever makes them.
//
// Each bake has a few tiles in the queue at a time and puts in the next as one ends: bakes of
// several setups take turns, and drafts, whose jobs come first, pass final bakes.
package farm
