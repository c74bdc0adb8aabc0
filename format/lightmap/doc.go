// Package lightmap writes a bake into a folder and reads it back (docs/formats.md):
//
//	bake.json              what it is, how it was made, and what is in it
//	level.glb              the objects of the map with their places on it as a second UV set
//	charts.bin             where each corner of each triangle lies on the pages
//	lightmap-0.exr, .hdr   each page: lux, all lights at their levels
//	light-ID-0.exr         each page of one light: lux, at unit output
//	probes.json            the probe field: places, and how far each sees
//	probes.exr             its harmonics: a row for each probe, nine columns for each light
//	mirror-ID.exr          each reflection probe at its lights' levels, cd/m2
//	mirror-ID-LIGHT.exr    the same of one light at unit output
//
// Nothing of it is needed for another part: an engine takes lightmap, charts and probes; the
// layers are there to change the balance of lights without baking anew.
package lightmap
