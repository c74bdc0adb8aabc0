//go:build !(goexperiment.simd && amd64)

package filter

const vectorised = false

func blend(dst, src []float32, taps []tap) { blendScalar(dst, src, taps) }

func (f *Filter) weigh8(x, y, step int, out *[kernelTaps][8]float32) {}
