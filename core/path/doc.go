// Package path carries light from lamps to a place that looks: a pixel of a camera, a
// texel, a point in space. For every light it finds, as if it were white and of unit
// output, what arrives directly, by bounces, as the shining thing itself, and as smooth
// surfaces show it.
//
// A path is a chain of segments and vertices. A Segment is a straight way along which
// light comes to what looks; following it finds what shines on it and ends at a Vertex,
// a surface. There every light is asked for (gather), and the surface chooses the next
// segment (scatter). A Walker may begin with either: with a segment at a camera or at a
// point in space, with a vertex at a texel.
//
// One path carries all lights. At its first vertex every light is sampled that
// can reach it; at later ones each light with a probability that depends only on
// that light and that place. Paths are chosen by surfaces alone, and every random
// number by (seed, pixel, sample, dimension): a light's layer is therefore the
// same to the last bit whether it is rendered alone or in company, and light
// that was moved can be rendered again by itself.
//
// Light sampling and surface sampling are combined by the balance heuristic
// (Veach 1997, section 9.2). After a diffuse bounce, mirrors are roughened a
// little (surface.Roughen): caustics seen after two bounces are softer than in
// nature. Surfaces within a hand's breadth of a lamp send on less (near). Nothing
// else is biased, and no sample is clamped.
package path
