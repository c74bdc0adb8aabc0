// Package work does the work of a target's frame at small size and counts it: which
// surfaces are drawn and how often over one another, which lights each tile, cluster or
// object has in its list and which of them reach its samples, which shadow maps are drawn
// and with what, what fog, probes and lightmaps are asked for. It knows no milliseconds:
// core/budget turns counts into those. docs/cost-model.md says how each is counted.
//
// The geometry of a view (See) is looked at once; lights are then counted on it as often
// as they change (Count). Distances are in metres, samples in pixels of the target.
package work
