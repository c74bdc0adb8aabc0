package trace

import (
	"math"
	"unsafe"
)

// packet is the scratch of up to eight rays that are followed together: a node is met by the
// bounds of all their origins and inverse directions (Reshetov et al. 2005, "Multi-Level Ray
// Tracing Algorithm"), a child that is taken from the stack by each ray itself.
type packet struct {
	inv, off [3][wide]float32
	// What the near and the far planes of boxes are measured from, and the least and the
	// greatest inverse direction.
	ahead, behind, least, most [3]float32
	near                       [3]uintptr
	min, far                   [wide]float32
	begin                      float32 // the least start
	lines                      [wide]line
}

// fewest is how many rays are worth a packet.
const fewest = 3

// FirstOf finds for each of up to eight rays what First finds, and sets a bit for each that
// hits: quicker than one by one where they start together and go about the same way. Of
// triangles at the very same distance either may be told.
func (tr *Tracer) FirstOf(rays []Ray, hits []Hit) (found uint8) {
	if tr.nodes == nil {
		return 0
	}
	if len(rays) > wide {
		panic("trace: more than eight rays in a packet")
	}
	if tr.Scalar || len(rays) < fewest || !tr.pk.set(rays) {
		for i := range rays {
			if tr.First(&rays[i], &hits[i]) {
				found |= 1 << i
			}
		}
		return found
	}
	tr.packetWide()
	for i := range rays {
		if tr.tell(&hits[i], &tr.pk.lines[i]) {
			found |= 1 << i
		}
	}
	return found
}

// set makes the packet ready for some rays; false where they do not all go the same way
// along each axis.
func (p *packet) set(rays []Ray) bool {
	var o [3][wide]float32
	lo, hi := rays[0].O, rays[0].O
	p.begin = rays[0].Min
	for k := range wide {
		r := &rays[min(k, len(rays)-1)]
		p.inv[0][k], p.inv[1][k], p.inv[2][k] = r.D.X, r.D.Y, r.D.Z
		o[0][k], o[1][k], o[2][k] = r.O.X, r.O.Y, r.O.Z
		if r.O != lo || r.O != hi {
			lo, hi = lower(lo, r.O), upper(hi, r.O)
		}
		p.min[k], p.far[k] = r.Min, r.Max
		p.begin = max(min(p.begin, r.Min), leastStart)
		p.lines[k].set(r)
		if k >= len(rays) {
			p.far[k] = float32(math.Inf(-1)) // nobody's
		}
	}
	const row = wide * 4
	for a := range 3 {
		p.near[a] = uintptr(a) * row
		if p.inv[a][0] < 0 {
			p.near[a] ^= 128
		}
		if !invert(&p.inv[a], &p.off[a], &o[a]) {
			return false
		}
		least, most := p.inv[a][0], p.inv[a][0]
		for _, v := range p.inv[a][1:] {
			if v < least {
				least = v
			}
			if v > most {
				most = v
			}
		}
		p.least[a], p.most[a] = least, most
	}
	for a, o := range [3][2]float32{{lo.X, hi.X}, {lo.Y, hi.Y}, {lo.Z, hi.Z}} {
		// As much as rounding may put a single ray's plane off.
		const rounding = 1.0 / (1 << 22)
		o[0], o[1] = o[0]-max(o[0], -o[0])*rounding, o[1]+max(o[1], -o[1])*rounding
		if p.near[a]&128 != 0 {
			o[0], o[1] = o[1], o[0]
		}
		p.behind[a], p.ahead[a] = o[0], o[1]
	}
	return true
}

// end is the greatest end of the rays that there still are, as bits: of floats that are not
// negative they are in the same order.
func (p *packet) end() int32 {
	far := (*[wide]int32)(unsafe.Pointer(&p.far))
	last := far[0]
	for _, v := range far[1:] {
		last = max(last, v)
	}
	return last
}
