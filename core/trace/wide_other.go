//go:build !(goexperiment.simd && amd64)

package trace

const vectorised = false

func (tr *Tracer) firstWide(r *Ray) (uint32, float32) { return tr.firstScalar(r) }
func (tr *Tracer) anyWide(r *Ray) bool                { return tr.anyScalar(r) }

// Packets are followed where there are vectors.
func (tr *Tracer) packetWide([]Ray)      {}
func invert(_, _, _ *[wide]float32) bool { return false }

// Settle readies the processor for scalar work.
func Settle() {}
