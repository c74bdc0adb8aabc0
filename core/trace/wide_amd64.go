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

// set makes a line of a ray, without a hit yet. It begins over 0, so that no distance is -0, whose
// bits are those of a great one.
//
//go:noinline
func (l *line) set(r *Ray) {
	bc := archsimd.BroadcastFloat32x8
	bc(r.D.X).Store(&l.d[0])
	bc(r.D.Y).Store(&l.d[1])
	bc(r.D.Z).Store(&l.d[2])
	bc(r.O.X).Store(&l.o[0])
	bc(r.O.Y).Store(&l.o[1])
	bc(r.O.Z).Store(&l.o[2])
	bc(r.Min).Max(bc(leastStart)).Store(&l.min)
	bc(r.Max).Store(&l.far)
	archsimd.ClearAVXUpperBits()
	l.slot, l.t = math.MaxUint32, *(*uint32)(unsafe.Pointer(&r.Max))
}

// firstWide finds the nearest hit of the tracer's line. It is long because a call would spill
// every vector, and without a scalar float: where the upper halves of vectors are in use, some
// processors save and restore them around each, and first hits came at a tenth of the speed.
func (tr *Tracer) firstWide() {
	w, l := &tr.w, &tr.line
	ix, iy, iz := archsimd.BroadcastFloat32x8(w.inv.X), archsimd.BroadcastFloat32x8(w.inv.Y), archsimd.BroadcastFloat32x8(w.inv.Z)
	ox, oy, oz := archsimd.BroadcastFloat32x8(w.off.X), archsimd.BroadcastFloat32x8(w.off.Y), archsimd.BroadcastFloat32x8(w.off.Z)
	lo := archsimd.LoadFloat32x8(&l.min)
	hi := archsimd.LoadFloat32x8(&l.far)
	nx, ny, nz := w.near[0], w.near[1], w.near[2]
	far := l.t
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
		} else if tr.leafWide(l, c&^leafFlag) {
			far, hi = l.t, archsimd.LoadFloat32x8(&l.far)
		}
		for {
			if sp == 0 {
				archsimd.ClearAVXUpperBits()
				return
			}
			sp -= 8
			key := *(*uint64)(unsafe.Add(stack, sp))
			if uint32(key>>32) <= far {
				c = uint32(key)
				break
			}
		}
	}
}

// leafWide tests a leaf by Moeller and Trumbore (1997), and reports whether something in it is
// nearer than the line's hit so far, which it then is.
//
//go:noinline
func (tr *Tracer) leafWide(l *line, leaf uint32) bool {
	p := unsafe.Add(tr.blocks, uintptr(leaf)*blockBytes)
	const row = wide * 4
	at := archsimd.LoadFloat32x8
	dx, dy, dz := at(&l.d[0]), at(&l.d[1]), at(&l.d[2])
	fx, fy, fz := load(p, 6*row), load(p, 7*row), load(p, 8*row)
	px, py, pz := dy.Mul(fz).Sub(dz.Mul(fy)), dz.Mul(fx).Sub(dx.Mul(fz)), dx.Mul(fy).Sub(dy.Mul(fx))
	ex, ey, ez := load(p, 3*row), load(p, 4*row), load(p, 5*row)
	inv := archsimd.BroadcastFloat32x8(1).Div(ex.MulAdd(px, ey.MulAdd(py, ez.Mul(pz))))
	sx, sy, sz := at(&l.o[0]).Sub(load(p, 0)), at(&l.o[1]).Sub(load(p, row)), at(&l.o[2]).Sub(load(p, 2*row))
	u := sx.MulAdd(px, sy.MulAdd(py, sz.Mul(pz))).Mul(inv)
	qx, qy, qz := sy.Mul(ez).Sub(sz.Mul(ey)), sz.Mul(ex).Sub(sx.Mul(ez)), sx.Mul(ey).Sub(sy.Mul(ex))
	v := dx.MulAdd(qx, dy.MulAdd(qy, dz.Mul(qz))).Mul(inv)
	t := fx.MulAdd(qx, fy.MulAdd(qy, fz.Mul(qz))).Mul(inv)
	eps := archsimd.BroadcastFloat32x8(-EdgeTolerance)
	ok := t.Greater(at(&l.min)).And(t.Less(at(&l.far)))
	ok = ok.And(u.GreaterEqual(eps)).And(v.GreaterEqual(eps)).And(u.Add(v).LessEqual(archsimd.BroadcastFloat32x8(1 + EdgeTolerance)))
	m := uint(ok.ToBits())
	if m == 0 {
		return false
	}
	t.Store(&tr.lanes[1])
	u.Store(&tr.lanes[2])
	v.Store(&tr.lanes[3])
	lanes := (*[4][wide]uint32)(unsafe.Pointer(&tr.lanes))
	nearest := 0
	for far := l.t; m != 0; m &= m - 1 {
		k := bits.TrailingZeros(m) & (wide - 1)
		if d := lanes[1][k]; d < far {
			far, nearest = d, k
		}
	}
	l.slot, l.t, l.u, l.v = leaf*wide+uint32(nearest), lanes[1][nearest], lanes[2][nearest], lanes[3][nearest]
	same(int32(l.t)).Store(&l.far)
	return true
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
