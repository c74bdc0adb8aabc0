// Package place puts a light where its result wants it: a highlight on a clicked
// spot, a shadow's edge on a clicked surface, a rim along a clicked outline, a
// panel into a clicked window. Each answer is a placement or the reason why
// there is none; nothing is guessed from the picture, all of it comes from rays
// through the place. Metres, right-handed, +Y up; picture positions run from 0
// to 1 from the top left corner.
package place
