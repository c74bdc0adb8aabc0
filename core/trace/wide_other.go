//go:build !(goexperiment.simd && amd64)

package trace

const vectorised = false

func (tr *Tracer) firstWide(r *Ray) (uint32, float32) { return tr.firstScalar(r) }
func (tr *Tracer) anyWide(r *Ray) bool                { return tr.anyScalar(r) }

// Settle readies the processor for scalar work.
func Settle() {}
