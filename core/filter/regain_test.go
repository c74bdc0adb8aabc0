package filter

import (
	"context"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/film"
)

// rarely is a plain picture of which one pixel in so many has found, in one half alone, what the
// others lack: the truth is 1 + 1 everywhere, in the left half of half the albedo.
func rarely(f *Filter, every int) (mean, diff []float32) {
	rng := rand.New(rand.NewPCG(4, 2))
	n := f.w * f.h
	mean, diff = make([]float32, 3*n), make([]float32, n)
	for i := range n {
		v := [2]float32{1, 1}
		if rng.IntN(every) == 0 {
			v[rng.IntN(2)] += 2 * float32(every)
		}
		for c := range 3 {
			mean[3*i+c] = f.albedo[3*i+c] * (v[0] + v[1]) / 2
		}
		diff[i] = f.grey[i] * (v[0] - v[1]) / 2
	}
	return mean, diff
}

func halfDark(w, h int) *Filter {
	f := plain(w, h)
	for i := range w * h {
		a := float32(0.8)
		if i%w < w/2 {
			a = 0.4
		}
		f.albedo[3*i], f.albedo[3*i+1], f.albedo[3*i+2], f.grey[i] = a, a, a, a
	}
	return f
}

// What single pixels have found of what is rare comes to all of them: the picture is as bright as the
// truth and not half as bright, on dark ground and on bright. 12 %: twice the chance of some
// 160 finds on each. Layers that have the rare and the common light each come to the same.
func TestWhatIsRareIsGivenToAll(t *testing.T) {
	const w, h, every = 256, 256, 200
	f := halfDark(w, h)
	mean, diff := rarely(f, every)
	common, rare := make([]float32, 3*w*h), make([]float32, 3*w*h)
	for i := range mean {
		common[i] = f.albedo[i]
		rare[i] = mean[i] - f.albedo[i]
	}
	s := NewSums(w, h)
	s.Chosen = true
	s.parts[part{width: 5}] = &halves{mean, diff}
	pic, err := s.Finish(context.Background(), f, 2)
	require.NoError(t, err)
	over := func(pic []float32, from, to int) (sum float64) {
		for i := range w * h {
			if i%w >= from && i%w < to {
				sum += float64(pic[3*i+1]) / float64(h*(to-from))
			}
		}
		return sum
	}
	require.InEpsilon(t, 0.4*2, over(pic.RGB, 0, w/2), 0.12)
	require.InEpsilon(t, 0.8*2, over(pic.RGB, w/2, w), 0.12)
	layers := []Layer{{common, film.Bounced, Widest(true)}, {rare, film.Bounced, Widest(true)}}
	require.NoError(t, f.ApplyChoice(context.Background(), pic.Choice, layers, 2))
	require.InEpsilon(t, 0.8, over(common, w/2, w), 0.01, "it has nothing that is rare")
	require.InEpsilon(t, over(pic.RGB, 0, w)-over(common, 0, w), over(rare, 0, w), 0.02)
}

// One find in the whole picture tells little of how much there is: an eighth of it is given.
// What is in doubt of it is told.
func TestASingleFindIsHardlyBelieved(t *testing.T) {
	const w, h = 64, 64
	f := halfDark(w, h)
	mean, diff, lost := make([]float32, 3*w*h), make([]float32, w*h), make([]float32, w*h)
	for i := range mean {
		mean[i] = f.albedo[i]
	}
	const at = 30*w + 50
	before := mean[3*at]
	for c := range 3 {
		mean[3*at+c] += 8000
	}
	diff[at] = 8000
	g := &group{mean: mean, diff: diff, last: 5}
	require.NoError(t, g.bound(context.Background(), f, lost, 2))
	var sum float64
	for i := range w * h {
		if i != at {
			sum += float64(mean[3*i] - f.albedo[3*i])
		}
	}
	taken := 8000 - float64(lone*before)
	require.InEpsilon(t, taken/enough*0.6/0.8, sum, 0.05, "the same light, on ground of 0.6 for 0.8")
	require.InEpsilon(t, taken*(1-1.0/enough+1.0/enough/2.828), float64(lost[at]), 0.01)
	require.Greater(t, diff[at], float32(0))
	require.Equal(t, mean[3*(10*w+60)]/0.8, mean[3*(10*w+10)]/0.4, "by albedo")
	// What is hardly filtered stays where it was found, and what it lost is all in doubt.
	clear(lost)
	for c := range 3 {
		mean[3*at+c] += 8000
	}
	diff[at] = 8000
	g = &group{mean: mean, diff: diff, last: widely - 1}
	around := mean[3*(10*w+60)]
	require.NoError(t, g.bound(context.Background(), f, lost, 2))
	require.Nil(t, g.back)
	require.Equal(t, around, mean[3*(10*w+60)])
	require.InEpsilon(t, 8000, float64(lost[at]), 0.01)
}

// A pixel that counts for four gives four times as much; one that no sample has reached neither
// gives nor takes.
func TestGivenBackBySamples(t *testing.T) {
	const w, h = 16, 16
	f := halfDark(w, h)
	mean, weight := make([]float32, 3*w*h), make([]float32, w*h)
	for i := range w * h {
		if i%2 == 0 {
			mean[3*i], mean[3*i+1], mean[3*i+2], weight[i] = f.albedo[3*i], f.albedo[3*i], f.albedo[3*i], 1
		}
	}
	given := func(n float32) float32 {
		weight[8] = n
		var finds []find
		for k := range enough { // alike in what they come to
			weight[8+2*w*k] = n
			finds = append(finds, find{8 + 2*w*k, [3]float32{5, 5, 5}})
		}
		r := f.regaining(mean, weight, finds)
		to := make([]float32, 3*w*h)
		require.NoError(t, r.give(context.Background(), finds, to, 1))
		require.Zero(t, to[3*(4*w+5)])
		return to[3*(4*w+4)]
	}
	one, four := given(1), given(4)
	require.InEpsilon(t, enough*5/0.8/128*0.4, one, 1e-4)
	require.InEpsilon(t, enough*4*5/0.8/(128+enough*3)*0.4, four, 1e-4)
}

// What fields say goes evenly from one to the next, and stays as it is beyond the outermost.
func TestGivenEvenlyBetweenFields(t *testing.T) {
	const w, h = 4 * field, 3 * field
	f := plain(w, h)
	for i := range f.albedo {
		f.albedo[i] = 1
	}
	r := &regain{f: f, wide: 4, shape: slices.Repeat([]float32{1}, w*h)}
	rates := make([][3]float32, 12)
	for k := range rates {
		rates[k] = [3]float32{float32(k % 4), float32(k / 4), 1}
	}
	at := func(x, y int) (u, v float32) {
		row, some := r.row(rates, y)
		require.True(t, some)
		require.Len(t, row, 6)
		p := (float32(x)+0.5)/field + 0.5
		k := int(p)
		p -= float32(k)
		return row[k][0] + p*(row[k+1][0]-row[k][0]), row[k][1] + p*(row[k+1][1]-row[k][1])
	}
	for x := range w {
		for y := range h {
			u, v := at(x, y)
			require.InDelta(t, min(max((float64(x)+0.5)/field-0.5, 0), 3), u, 1e-5)
			require.InDelta(t, min(max((float64(y)+0.5)/field-0.5, 0), 2), v, 1e-5)
		}
	}
	_, some := r.row(make([][3]float32, 12), 5)
	require.False(t, some)
}

func BenchmarkGive(b *testing.B) {
	const w, h = 960, 540
	f := halfDark(w, h)
	mean, _ := rarely(f, 1000)
	finds := take(mean, slices.Repeat([]float32{1, 1, 1, 1, 1, 1, 1, 1, 1, 0.5}, w*h/10))
	r := f.regaining(mean, nil, finds)
	for b.Loop() {
		require.NoError(b, r.give(context.Background(), finds, mean, 2))
	}
}

// A table's sums over any fields are those of the fields one by one.
func TestTable(t *testing.T) {
	const w, h = 7, 5
	rng := rand.New(rand.NewPCG(1, 9))
	table, plain := newTable(w, h), make([]float64, w*h)
	for i := range plain {
		plain[i] = rng.Float64()
		*table.at(i%w, i/w) += plain[i]
	}
	table.sum()
	for reach := range 8 {
		for i := range plain {
			var want float64
			for k, v := range plain {
				if dx, dy := k%w-i%w, k/w-i/w; max(dx, -dx) <= reach && max(dy, -dy) <= reach {
					want += v
				}
			}
			require.InDelta(t, want, table.around(i%w, i/w, reach), 1e-9)
		}
	}
}
