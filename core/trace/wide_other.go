//go:build !(goexperiment.simd && amd64)

package trace

const vectorised = false

func (l *line) set(*Ray)               {}
func (tr *Tracer) firstWide()          {}
func (tr *Tracer) anyWide(r *Ray) bool { return tr.anyScalar(r) }

// Packets are followed where there are vectors.
func (tr *Tracer) packetWide()           {}
func invert(_, _, _ *[wide]float32) bool { return false }

// Settle readies the processor for scalar work.
func Settle() {}
