// Package render makes the light layers of a view: for every light, as if it
// were white and of unit output, what reaches the camera from it directly, by
// bounces, as the shining thing itself, and as the environment in mirrors.
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
package render
