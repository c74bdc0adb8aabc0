//go:build !(goexperiment.simd && amd64)

package filter

const vectorised = false

func (k *weights) sum(src, dst []float32, from, step, w int) { k.sumScalar(src, dst, from, step, w) }

func (f *Filter) weigh8(x, y, step, lane int, out *[kernelTaps][block]float32) {}
