// Package unwrap lays surfaces flat for lightmaps: it cuts a mesh into charts, each nearly
// even with a plane, gives every chart its texels at a density, and packs charts into pages.
//
// In come triangles in metres; out come, for each corner of each triangle, its page and its
// place there in texels. A chart is grown from its largest triangle over neighbours that face
// nearly its way, the flattest first, so that seams fall on edges and folds; it is projected
// along its mean normal, by at most 40 degrees, which bounds the stretch of its texels by 1.3.
// Its sides are fitted to whole texels, so that its border lies on middles of texels. A piece
// smaller than a texel gets one; such pieces of one place that face the same way share it.
//
// All of it depends on the geometry alone: the same mesh has the same charts always.
package unwrap
