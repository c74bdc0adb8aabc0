//go:build goexperiment.simd && amd64

package trace

import (
	"math/bits"
	"simd/archsimd"
	"unsafe"
)

// packetWide follows the packet that is set.
func (tr *Tracer) packetWide() {
	pk := &tr.pk
	bc := archsimd.BroadcastFloat32x8
	least0, least1, least2 := bc(pk.least[0]), bc(pk.least[1]), bc(pk.least[2])
	most0, most1, most2 := bc(pk.most[0]), bc(pk.most[1]), bc(pk.most[2])
	nx, ny, nz := pk.near[0], pk.near[1], pk.near[2]
	last := pk.end()
	lo, hi := bc(pk.begin), same(last)
	lane := (*[wide]float32)(&tr.lanes[0])
	lanes := unsafe.Pointer(lane)
	stack := unsafe.Pointer(&tr.stack)
	nodes := tr.nodes
	sp := uintptr(0)
	c := uintptr(0)
	for {
		p := unsafe.Add(nodes, c)
		ax, ay, az := load(p, nx).Sub(bc(pk.ahead[0])), load(p, ny).Sub(bc(pk.ahead[1])), load(p, nz).Sub(bc(pk.ahead[2]))
		t0 := ax.Mul(least0).Min(ax.Mul(most0)).Max(ay.Mul(least1).Min(ay.Mul(most1))).Max(az.Mul(least2).Min(az.Mul(most2)).Max(lo))
		bx, by, bz := load(p, nx^128).Sub(bc(pk.behind[0])), load(p, ny^128).Sub(bc(pk.behind[1])), load(p, nz^128).Sub(bc(pk.behind[2]))
		t1 := bx.Mul(least0).Max(bx.Mul(most0)).Min(by.Mul(least1).Max(by.Mul(most1))).Min(bz.Mul(least2).Max(bz.Mul(most2)).Min(hi))
		const slack = 1 + 1.0/(1<<21)
		const steps = 8 // of the last bit, at least as much
		m := uint(t0.LessEqual(t1.Mul(bc(slack))).ToBits())
		if m != 0 {
			t0.Store(lane)
			base := sp
			for ; m != 0; m &= m - 1 {
				k := uintptr(bits.TrailingZeros(m)) * 4
				key := uint64(*(*uint32)(unsafe.Add(lanes, k)))<<32 | uint64(c+k)
				i := sp
				for i > base {
					q := *(*uint64)(unsafe.Add(stack, i-8))
					if q >= key {
						break
					}
					*(*uint64)(unsafe.Add(stack, i)) = q
					i -= 8
				}
				*(*uint64)(unsafe.Add(stack, i)) = key
				sp += 8
			}
		}
		for {
			if sp == 0 {
				archsimd.ClearAVXUpperBits()
				return
			}
			sp -= 8
			key := *(*uint64)(unsafe.Add(stack, sp))
			if int32(key>>32) > last+steps {
				continue
			}
			q := unsafe.Add(nodes, uintptr(uint32(key)))
			t0 := archsimd.LoadFloat32x8(&pk.inv[0]).MulAdd(plane(q, nx), archsimd.LoadFloat32x8(&pk.off[0])).
				Max(archsimd.LoadFloat32x8(&pk.inv[1]).MulAdd(plane(q, ny), archsimd.LoadFloat32x8(&pk.off[1]))).
				Max(archsimd.LoadFloat32x8(&pk.inv[2]).MulAdd(plane(q, nz), archsimd.LoadFloat32x8(&pk.off[2])).Max(archsimd.LoadFloat32x8(&pk.min)))
			t1 := archsimd.LoadFloat32x8(&pk.inv[0]).MulAdd(plane(q, nx^128), archsimd.LoadFloat32x8(&pk.off[0])).
				Min(archsimd.LoadFloat32x8(&pk.inv[1]).MulAdd(plane(q, ny^128), archsimd.LoadFloat32x8(&pk.off[1]))).
				Min(archsimd.LoadFloat32x8(&pk.inv[2]).MulAdd(plane(q, nz^128), archsimd.LoadFloat32x8(&pk.off[2])).Min(archsimd.LoadFloat32x8(&pk.far)))
			some := uint(t0.LessEqual(t1).ToBits())
			if some == 0 {
				continue
			}
			child := *(*uint32)(unsafe.Add(q, 96))
			if child&leafFlag == 0 {
				c = uintptr(child)
				break
			}
			met := false
			for ; some != 0; some &= some - 1 {
				k := bits.TrailingZeros(some) & (wide - 1)
				if l := &pk.lines[k]; tr.leafWide(l, child&^leafFlag) {
					*(*uint32)(unsafe.Pointer(&pk.far[k])) = l.t
					met = true
				}
			}
			if met {
				last = pk.end()
				hi = same(last)
			}
		}
	}
}

// same is the float with these bits in all lanes.
func same(bits int32) archsimd.Float32x8 { return archsimd.BroadcastInt32x8(bits).AsFloat32x8() }

func plane(p unsafe.Pointer, off uintptr) archsimd.Float32x8 {
	return archsimd.BroadcastFloat32x8(*(*float32)(unsafe.Add(p, off)))
}

// zeros are loaded: what is made of a constant 0 begins with scalar code.
var zeros [wide]float32

// invert makes of directions along one axis their inverses, none infinite, and of origins
// what planes are moved by; false where the directions do not have one sign.
func invert(d, off, o *[wide]float32) bool {
	const tiny = 1e-18
	zero := archsimd.LoadFloat32x8(&zeros)
	v := archsimd.LoadFloat32x8(d)
	switch v.Less(zero).ToBits() {
	case 0:
		v = v.Max(archsimd.BroadcastFloat32x8(tiny))
	case 1<<wide - 1:
		v = v.Min(archsimd.BroadcastFloat32x8(-tiny))
	default:
		archsimd.ClearAVXUpperBits()
		return false
	}
	v = archsimd.BroadcastFloat32x8(1).Div(v)
	v.Store(d)
	zero.Sub(archsimd.LoadFloat32x8(o).Mul(v)).Store(off)
	archsimd.ClearAVXUpperBits()
	return true
}
