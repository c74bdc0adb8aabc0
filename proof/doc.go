// Package proof holds pictures to long reference pictures of eight places: the demo's
// five views, and three rooms made to be hard (a wet floor and a mirror; a small
// window; leaves, glass and a masked sign). Its tests measure noise, the filter's bias,
// and whether the error that is told is the true one.
//
// A reference is two independent pictures A and B, so that the square error of a
// picture x is the mean of (x - A)(x - B), free of the references' own noise.
// scripts/references makes them anew; do so when the light itself was wrong, never
// because a test fails.
package proof
