// Package bake makes lightmaps: the irradiance on surfaces that do not move, in lux, kept as
// one layer for each light of unit output, so that level and colour of baked lights stay live.
//
// Plan lays the place flat (unwrap) at the densities that are asked for. A Baker then works
// out one object after the other: at each texel it asks lights and follows paths, which end
// at what the light cache of the place knows (its final gather), until the samples are
// enough; smooths what is left of their noise along the surface; fills texels that lie within
// something solid from the darkest side about them, so that no light comes through a wall; and
// matches texels across seams. A baked light has its direct and its bounced light in the map,
// a split one its bounced light alone; of a sky and of what shines by itself a target works
// nothing out live, so both ways have all of it. A light's layer is the same bits whether it
// is baked alone or in company, by one worker or by many: a bake of what changed is the bake
// of all.
package bake
