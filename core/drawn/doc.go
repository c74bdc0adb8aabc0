// Package drawn makes the run-time picture's shadows by the algorithm the target
// uses: depth maps drawn from the light by a rasteriser, biased, filtered and
// looked up, cascades for the sun, contact shadows in the picture's own depth, or
// a few traced rays. So acne, floating, stair-steps and leaks through one-sided
// walls are seen as they will be. Distances in metres, light for unit output.
//
// What a target does and this does: back faces of one-sided materials are not
// drawn into maps; clear glass casts nothing; beyond the last cascade there is no
// shadow; direct light is shaded from a few points of the source and hidden as
// one.
package drawn
