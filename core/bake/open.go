package bake

import (
	"context"
	"encoding/binary"
	"encoding/hex"

	"willowherb/core/sampling"
	"willowherb/core/scene"
	"willowherb/core/spread"
	"willowherb/core/unwrap"
	"willowherb/core/vec"
	"willowherb/core/world"
)

// openRays is how many rays each place of a texel sends out for its openness; there are parts x
// parts places.
const openRays = 16

// Openness is how much of the half space over each of an object's cells is free of what lies
// nearer than far metres, by the cosine, from 0 to 1: ambient occlusion. The world is without
// movers; light that passes glass counts by its share. Error: ctx ended.
func (p *Plan) Openness(ctx context.Context, w *world.World, i int, far float32, workers int) ([]float32, error) {
	l := p.Objects[i]
	out := make([]float32, l.Cells)
	key := binary.LittleEndian.Uint32(l.Key[:])
	err := spread.With(ctx, len(l.Patches), workers, func() (func(int), func()) {
		t := w.Tracer()
		return func(k int) {
			q := &l.Patches[k]
			places := q.Places(parts)
			for c := range q.W * q.H {
				x, y := c%q.W*parts, c/q.W*parts
				var sum float32
				n := 0
				for s := range parts * parts {
					at := &places[(y+s/parts)*q.W*parts+x+s%parts]
					if at.Tri >= 0 {
						sum += openAt(w.S, t, l, at, far, key+uint32(l.Begin[k]+c)*0x9e3779b9, s)
						n++
					}
				}
				if n > 0 {
					out[l.Begin[k]+c] = sum / float32(n)
				}
			}
		}, t.Release
	})
	return out, err
}

// openAt is the openness of a place, by rays of their own among those of its texel.
func openAt(sc *scene.Scene, t *world.Tracer, l *Laid, at *unwrap.Place, far float32, pixel uint32, s int) (sum float32) {
	tri := uint32(l.First) + uint32(at.Tri)
	_, n := sc.Area(tri)
	a, b, c := sc.Corner(tri)
	pos := sc.V.Pos[a].Scale(1 - at.U - at.V).Add(sc.V.Pos[b].Scale(at.U)).Add(sc.V.Pos[c].Scale(at.V))
	right, up := vec.Basis(n)
	for k := range openRays {
		d := sampling.CosineHemisphere(sampling.New(seed^0x6f70656e, pixel, uint32(k*parts*parts+s)).Pair(0))
		dir := right.Scale(d.X).Add(up.Scale(d.Y)).Add(n.Scale(d.Z))
		v := t.Passes(pos, n, dir, far)
		sum += (v.X + v.Y + v.Z) / 3 / openRays
	}
	return sum
}

// Occlusion is the openness of all objects, as Plan.Objects; nil where the setup bakes none. What
// is kept is taken from there. Error: ctx ended, or what was made could not be kept.
func (j *Job) Occlusion(ctx context.Context, w *world.World, workers int) ([][]float32, error) {
	far := j.Plan.Rules.Occlusion
	if far <= 0 {
		return nil, nil
	}
	out := make([][]float32, len(j.Plan.Objects))
	for i, l := range j.Plan.Objects {
		k := Digest("openness", algorithm, j.Place, l.Key, far)
		key := hex.EncodeToString(k[:16])
		if j.Kept != nil {
			data, ok, err := j.Kept.Data(ctx, key)
			if err != nil {
				return nil, err
			}
			if ok && len(data) == l.Cells {
				out[i] = make([]float32, l.Cells)
				for c, v := range data {
					out[i][c] = float32(v) / 255
				}
				continue
			}
		}
		open, err := j.Plan.Openness(ctx, w, i, float32(far), workers)
		if err != nil {
			return nil, err
		}
		data := make([]byte, len(open))
		for c, v := range open {
			data[c] = byte(v*255 + 0.5)
			open[c] = float32(data[c]) / 255 // the same, kept or not
		}
		if out[i] = open; j.Kept != nil {
			if err := j.Kept.KeepData(ctx, key, data); err != nil {
				return nil, err
			}
		}
	}
	return out, nil
}
