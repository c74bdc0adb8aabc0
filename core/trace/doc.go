// Package trace answers ray queries against triangles: the first hit along a
// ray, or whether anything lies on it. Triangles go in as positions in metres
// and three indices each; a Tree comes out that is immutable and shared by any
// number of Tracers, one a goroutine.
//
// The tree is 8-wide. It is built as a binary tree by the binned surface-area
// heuristic (Wald 2007, "On fast Construction of SAH-based Bounding Volume
// Hierarchies") and collapsed to eight children by dynamic programming on the
// surface-area cost (Ylitie et al. 2017, "Efficient Incoherent Ray Traversal on
// GPUs Through Compressed Wide BVHs", section 3.1). A leaf holds up to eight
// triangles as a corner and two edges, so that one step tests eight boxes or eight triangles.
// With GOEXPERIMENT=simd on amd64 the steps use AVX2 and FMA; elsewhere the
// same tree is walked in scalar code with the same answers.
//
// Rays that start together and go about the same way, as a camera's do, can be followed eight
// at a time (FirstOf).
//
// What a hit means (masks, glass, blockers) is left to the caller.
package trace
