//go:build !(goexperiment.simd && amd64)

package cache

// sweep brings what links lead to from each point's now to the next.
func sweep(begin, now, next []block, links []link, from, to int) {
	sweepScalar(begin, now, next, links, from, to)
}
