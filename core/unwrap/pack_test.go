package unwrap

import (
	"math/rand/v2"
	"testing"

	"github.com/stretchr/testify/require"
)

// ragged is a shape with holes and a ragged edge.
func ragged(r *rand.Rand, w, h int) Shape {
	n := words(w)
	s := Shape{W: w, H: h, Rows: make([]uint64, n*h)}
	for y := range h {
		for x := range w {
			if r.IntN(5) > 0 || x == y {
				s.Rows[y*n+x/64] |= 1 << (x % 64)
			}
		}
	}
	s.measure()
	return s
}

func TestPackedShapesKeepTheirPadding(t *testing.T) {
	for _, padding := range []int{1, 2, 5} {
		r := rand.New(rand.NewPCG(1, uint64(padding)))
		var shapes []Shape
		for range 400 {
			w, h := 1+r.IntN(12), 1+r.IntN(12)
			if r.IntN(20) == 0 {
				w, h = 1+r.IntN(200), 1+r.IntN(90)
			}
			shapes = append(shapes, ragged(r, w, h))
		}
		spots, pages := Pack(shapes, 256, padding)
		require.Greater(t, len(pages), 1)
		owner := make([][]int, len(pages))
		for i, g := range pages {
			owner[i] = make([]int, g.W*g.H)
		}
		filled := make([]int, len(pages))
		for i, s := range shapes {
			q := spots[i]
			n := words(s.W)
			for y := range s.H {
				for x := range s.W {
					if s.Rows[y*n+x/64]>>(x%64)&1 == 0 {
						continue
					}
					px, py := q.X+x, q.Y+y
					if q.Turned {
						px, py = q.X+y, q.Y+x
					}
					g := pages[q.Page]
					require.True(t, px < g.W && py < g.H, "shape %d leaves its page", i)
					filled[q.Page]++
					for j := max(py-padding, 0); j <= min(py+padding, g.H-1); j++ {
						for k := max(px-padding, 0); k <= min(px+padding, g.W-1); k++ {
							o := owner[q.Page][j*g.W+k]
							require.True(t, o == 0 || o == i+1, "shapes %d and %d lie within %d texels", o-1, i, padding)
						}
					}
				}
			}
			// Marked after, so that a shape's own texels do not count.
			for y := range s.H {
				for x := range s.W {
					if s.Rows[y*n+x/64]>>(x%64)&1 != 0 {
						px, py := q.X+x, q.Y+y
						if q.Turned {
							px, py = q.X+y, q.Y+x
						}
						owner[q.Page][py*pages[q.Page].W+px] = i + 1
					}
				}
			}
		}
		for i, g := range pages {
			require.Equal(t, g.Filled, filled[i])
		}
	}
}
