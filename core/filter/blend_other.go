//go:build !(goexperiment.simd && amd64)

package filter

const vectorised = false

func (k *weights) sum(src, dst []float32, from int) { k.sumScalar(src, dst, from) }

func (k *weights) whole(many int) { k.wholeScalar(many) }

func (f *Filter) weigh8(x, y, step, lane int, out *[kernelTaps][block]float32) {}
