package cache

import (
	"context"

	"willowherb/core/spread"
	"willowherb/core/vec"
)

// lanes is how many lights are solved side by side, so that a link is read once for all of them.
const lanes = 8

// block is the irradiance of so many lights at a point: even, then glancing, per colour.
type block [6][lanes]float32

func (b *block) set(lane int, f *flux) {
	b[0][lane], b[1][lane], b[2][lane] = f.even.X, f.even.Y, f.even.Z
	b[3][lane], b[4][lane], b[5][lane] = f.glancing.X, f.glancing.Y, f.glancing.Z
}

func (b *block) of(lane int) flux {
	return flux{vec.V3{X: b[0][lane], Y: b[1][lane], Z: b[2][lane]}, vec.V3{X: b[3][lane], Y: b[4][lane], Z: b[5][lane]}}
}

// settle follows the light of some columns, at most lanes, from point to point, each so many
// times. Error: ctx ended.
func (c *Cache) settle(ctx context.Context, of []*column, rounds []int, workers int) error {
	n := len(c.sites)
	begin, now, next := make([]block, n), make([]block, n), make([]block, n)
	const wide = 4096
	each := func(do func(from, to int)) error {
		return spread.Over(ctx, (n+wide-1)/wide, workers, func(i int) { do(i*wide, min((i+1)*wide, n)) })
	}
	most := 0
	for _, r := range rounds {
		most = max(most, r)
	}
	err := each(func(from, to int) {
		for p := from; p < to; p++ {
			for i, k := range of {
				e := k.straight[p]
				now[p].set(i, &e)
				e = e.plus(flux{k.more[p], k.more[p]})
				begin[p].set(i, &e)
			}
		}
	})
	for round := 0; err == nil; round++ {
		for i, k := range of {
			if rounds[i] != round {
				continue
			}
			all := make([]flux, n)
			if err = each(func(from, to int) {
				for p := from; p < to; p++ {
					all[p] = now[p].of(i)
				}
			}); err != nil {
				return err
			}
			k.all = all
		}
		if round == most {
			return nil
		}
		err = each(func(from, to int) { sweep(begin, now, next, c.links, from, to) })
		now, next = next, now
	}
	return err
}

// sweepScalar is sweep without vectors.
func sweepScalar(begin, now, next []block, links []link, from, to int) {
	fan := len(links) / len(now)
	for p := from; p < to; p++ {
		e := begin[p]
		for q := range links[p*fan : (p+1)*fan] {
			l := &links[p*fan+q]
			if l.to < 0 {
				continue
			}
			f := &now[l.to]
			even, glancing := [3]float32{l.even.X, l.even.Y, l.even.Z}, [3]float32{l.glancing.X, l.glancing.Y, l.glancing.Z}
			for ch := range 3 {
				for i := range lanes {
					v := even[ch]*f[ch][i] + glancing[ch]*f[ch+3][i]
					e[ch][i] += v
					e[ch+3][i] += v * l.glance
				}
			}
		}
		next[p] = e
	}
}
