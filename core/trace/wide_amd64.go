//go:build goexperiment.simd && amd64

package trace

import (
	"math"
	"math/bits"
	"simd/archsimd"
	"unsafe"
)

var vectorised = archsimd.X86.AVX2() && archsimd.X86.FMA()

func load(p unsafe.Pointer, off uintptr) archsimd.Float32x8 {
	return archsimd.LoadFloat32x8((*[wide]float32)(unsafe.Add(p, off)))
}

// firstWide returns the slot (block*8 + lane) of the nearest hit, or MaxUint32. It is long
// because a call would spill every vector.
func (tr *Tracer) firstWide(r *Ray) (uint32, float32) {
	w := r.walk()
	ix, iy, iz := archsimd.BroadcastFloat32x8(w.inv.X), archsimd.BroadcastFloat32x8(w.inv.Y), archsimd.BroadcastFloat32x8(w.inv.Z)
	ox, oy, oz := archsimd.BroadcastFloat32x8(w.off.X), archsimd.BroadcastFloat32x8(w.off.Y), archsimd.BroadcastFloat32x8(w.off.Z)
	lo := archsimd.BroadcastFloat32x8(r.Min)
	hi := archsimd.BroadcastFloat32x8(r.Max)
	nx, ny, nz := w.near[0], w.near[1], w.near[2]
	best, far := uint32(math.MaxUint32), r.Max
	lane := (*[wide]float32)(&tr.lanes[0])
	stack := unsafe.Pointer(&tr.stack)
	nodes := tr.nodes
	sp := uintptr(0)
	c := uint32(0)
	for {
		if c&leafFlag == 0 {
			p := unsafe.Add(nodes, uintptr(c))
			t0 := load(p, nx).MulAdd(ix, ox).Max(load(p, ny).MulAdd(iy, oy)).Max(load(p, nz).MulAdd(iz, oz).Max(lo))
			t1 := load(p, nx^128).MulAdd(ix, ox).Min(load(p, ny^128).MulAdd(iy, oy)).Min(load(p, nz^128).MulAdd(iz, oz).Min(hi))
			m := uint(t0.LessEqual(t1).ToBits())
			if m != 0 {
				child := unsafe.Add(p, 96)
				k := uintptr(bits.TrailingZeros(m))
				m &= m - 1
				if m == 0 {
					c = *(*uint32)(unsafe.Add(child, k*4))
					continue
				}
				t0.Store(lane)
				lanes := unsafe.Pointer(lane)
				a := uint64(*(*uint32)(unsafe.Add(lanes, k*4)))<<32 | uint64(*(*uint32)(unsafe.Add(child, k*4)))
				k = uintptr(bits.TrailingZeros(m))
				m &= m - 1
				b := uint64(*(*uint32)(unsafe.Add(lanes, k*4)))<<32 | uint64(*(*uint32)(unsafe.Add(child, k*4)))
				if a > b {
					a, b = b, a
				}
				if m == 0 {
					*(*uint64)(unsafe.Add(stack, sp)) = b
					sp += 8
					c = uint32(a)
					continue
				}
				// a <= b; the stack's segment is kept in falling order, nearest on top.
				base := sp
				*(*uint64)(unsafe.Add(stack, sp)) = b
				*(*uint64)(unsafe.Add(stack, sp+8)) = a
				sp += 16
				for m != 0 {
					k = uintptr(bits.TrailingZeros(m))
					m &= m - 1
					key := uint64(*(*uint32)(unsafe.Add(lanes, k*4)))<<32 | uint64(*(*uint32)(unsafe.Add(child, k*4)))
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
				sp -= 8
				c = uint32(*(*uint64)(unsafe.Add(stack, sp)))
				continue
			}
		} else if s, t := tr.leafWide(r, c&^leafFlag, far); s != math.MaxUint32 {
			best, far = s, t
			hi = archsimd.BroadcastFloat32x8(far)
		}
		for {
			if sp == 0 {
				archsimd.ClearAVXUpperBits()
				return best, far
			}
			sp -= 8
			key := *(*uint64)(unsafe.Add(stack, sp))
			if math.Float32frombits(uint32(key>>32)) <= far {
				c = uint32(key)
				break
			}
		}
	}
}

// leafWide tests a leaf by Moeller and Trumbore (1997), and keeps the weights of what is
// nearer than far.
//
//go:noinline
func (tr *Tracer) leafWide(r *Ray, leaf uint32, far float32) (uint32, float32) {
	p := unsafe.Add(tr.blocks, uintptr(leaf)*blockBytes)
	const row = wide * 4
	dx, dy, dz := archsimd.BroadcastFloat32x8(r.D.X), archsimd.BroadcastFloat32x8(r.D.Y), archsimd.BroadcastFloat32x8(r.D.Z)
	fx, fy, fz := load(p, 6*row), load(p, 7*row), load(p, 8*row)
	px, py, pz := dy.Mul(fz).Sub(dz.Mul(fy)), dz.Mul(fx).Sub(dx.Mul(fz)), dx.Mul(fy).Sub(dy.Mul(fx))
	ex, ey, ez := load(p, 3*row), load(p, 4*row), load(p, 5*row)
	inv := archsimd.BroadcastFloat32x8(1).Div(ex.MulAdd(px, ey.MulAdd(py, ez.Mul(pz))))
	sx := archsimd.BroadcastFloat32x8(r.O.X).Sub(load(p, 0))
	sy := archsimd.BroadcastFloat32x8(r.O.Y).Sub(load(p, row))
	sz := archsimd.BroadcastFloat32x8(r.O.Z).Sub(load(p, 2*row))
	u := sx.MulAdd(px, sy.MulAdd(py, sz.Mul(pz))).Mul(inv)
	qx, qy, qz := sy.Mul(ez).Sub(sz.Mul(ey)), sz.Mul(ex).Sub(sx.Mul(ez)), sx.Mul(ey).Sub(sy.Mul(ex))
	v := dx.MulAdd(qx, dy.MulAdd(qy, dz.Mul(qz))).Mul(inv)
	t := fx.MulAdd(qx, fy.MulAdd(qy, fz.Mul(qz))).Mul(inv)
	eps := archsimd.BroadcastFloat32x8(-EdgeTolerance)
	ok := t.Greater(archsimd.BroadcastFloat32x8(r.Min)).And(t.Less(archsimd.BroadcastFloat32x8(far)))
	ok = ok.And(u.GreaterEqual(eps)).And(v.GreaterEqual(eps)).And(u.Add(v).LessEqual(archsimd.BroadcastFloat32x8(1 + EdgeTolerance)))
	m := uint(ok.ToBits())
	if m == 0 {
		return math.MaxUint32, far
	}
	t.Store(&tr.lanes[1])
	u.Store(&tr.lanes[2])
	v.Store(&tr.lanes[3])
	best := uint32(math.MaxUint32)
	for ; m != 0; m &= m - 1 {
		k := bits.TrailingZeros(m) & (wide - 1)
		if d := tr.lanes[1][k]; d < far {
			best, far = leaf*wide+uint32(k), d
			tr.u, tr.v = tr.lanes[2][k], tr.lanes[3][k]
		}
	}
	return best, far
}

func (tr *Tracer) anyWide(r *Ray) bool {
	w := r.walk()
	ix, iy, iz := archsimd.BroadcastFloat32x8(w.inv.X), archsimd.BroadcastFloat32x8(w.inv.Y), archsimd.BroadcastFloat32x8(w.inv.Z)
	fx, fy, fz := archsimd.BroadcastFloat32x8(w.off.X), archsimd.BroadcastFloat32x8(w.off.Y), archsimd.BroadcastFloat32x8(w.off.Z)
	lo := archsimd.BroadcastFloat32x8(r.Min)
	hi := archsimd.BroadcastFloat32x8(r.Max)
	nx, ny, nz := w.near[0], w.near[1], w.near[2]
	stack := unsafe.Pointer(&tr.stack)
	nodes, blocks := tr.nodes, tr.blocks
	const row = wide * 4
	sp := uintptr(0)
	c := uint32(0)
	for {
		if c&leafFlag == 0 {
			p := unsafe.Add(nodes, uintptr(c))
			t0 := load(p, nx).MulAdd(ix, fx).Max(load(p, ny).MulAdd(iy, fy)).Max(load(p, nz).MulAdd(iz, fz).Max(lo))
			t1 := load(p, nx^128).MulAdd(ix, fx).Min(load(p, ny^128).MulAdd(iy, fy)).Min(load(p, nz^128).MulAdd(iz, fz).Min(hi))
			m := uint(t0.LessEqual(t1).ToBits())
			if m != 0 {
				child := unsafe.Add(p, 96)
				k := uintptr(bits.TrailingZeros(m))
				c = *(*uint32)(unsafe.Add(child, k*4))
				for m &= m - 1; m != 0; m &= m - 1 {
					k = uintptr(bits.TrailingZeros(m))
					*(*uint32)(unsafe.Add(stack, sp)) = *(*uint32)(unsafe.Add(child, k*4))
					sp += 8
				}
				continue
			}
		} else {
			p := unsafe.Add(blocks, uintptr(c&^leafFlag)*blockBytes)
			dx, dy, dz := archsimd.BroadcastFloat32x8(r.D.X), archsimd.BroadcastFloat32x8(r.D.Y), archsimd.BroadcastFloat32x8(r.D.Z)
			fx, fy, fz := load(p, 6*row), load(p, 7*row), load(p, 8*row)
			px, py, pz := dy.Mul(fz).Sub(dz.Mul(fy)), dz.Mul(fx).Sub(dx.Mul(fz)), dx.Mul(fy).Sub(dy.Mul(fx))
			ex, ey, ez := load(p, 3*row), load(p, 4*row), load(p, 5*row)
			inv := archsimd.BroadcastFloat32x8(1).Div(ex.MulAdd(px, ey.MulAdd(py, ez.Mul(pz))))
			sx := archsimd.BroadcastFloat32x8(r.O.X).Sub(load(p, 0))
			sy := archsimd.BroadcastFloat32x8(r.O.Y).Sub(load(p, row))
			sz := archsimd.BroadcastFloat32x8(r.O.Z).Sub(load(p, 2*row))
			u := sx.MulAdd(px, sy.MulAdd(py, sz.Mul(pz))).Mul(inv)
			qx, qy, qz := sy.Mul(ez).Sub(sz.Mul(ey)), sz.Mul(ex).Sub(sx.Mul(ez)), sx.Mul(ey).Sub(sy.Mul(ex))
			v := dx.MulAdd(qx, dy.MulAdd(qy, dz.Mul(qz))).Mul(inv)
			t := fx.MulAdd(qx, fy.MulAdd(qy, fz.Mul(qz))).Mul(inv)
			eps := archsimd.BroadcastFloat32x8(-EdgeTolerance)
			ok := t.Greater(lo).And(t.Less(hi))
			ok = ok.And(u.GreaterEqual(eps)).And(v.GreaterEqual(eps)).And(u.Add(v).LessEqual(archsimd.BroadcastFloat32x8(1 + EdgeTolerance)))
			if ok.ToBits() != 0 {
				archsimd.ClearAVXUpperBits()
				return true
			}
		}
		if sp == 0 {
			archsimd.ClearAVXUpperBits()
			return false
		}
		sp -= 8
		c = *(*uint32)(unsafe.Add(stack, sp))
	}
}

// Settle readies the processor for scalar work. Where the scheduler has interrupted a
// vector loop the upper halves of the registers stay in use, and scalar arithmetic runs at
// a quarter of its speed until they are cleared: call it at the start of each row or tile.
func Settle() {
	if vectorised {
		archsimd.ClearAVXUpperBits()
	}
}
