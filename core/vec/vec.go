// Package vec holds the small float32 vectors and transforms of the light
// transport code. Positions are in metres, right-handed, +Y up (glTF 2.0).
// Values are plain structs; every function is pure.
package vec

import "math"

// V3 is a vector, point or linear RGB colour.
type V3 struct{ X, Y, Z float32 }

// New makes a vector from float64 components.
func New(x, y, z float64) V3 { return V3{float32(x), float32(y), float32(z)} }

// Of makes a vector of three float64.
func Of(a [3]float64) V3 { return New(a[0], a[1], a[2]) }

// Array returns the components as float64.
func (a V3) Array() [3]float64 { return [3]float64{float64(a.X), float64(a.Y), float64(a.Z)} }

// Upright returns the unit axes across the unit direction aim: to its right and
// upwards, turned about it by roll in degrees.
func Upright(aim V3, roll float64) (right, up V3) {
	y := V3{Y: 1}
	if math.Abs(float64(aim.Y)) > 0.999 {
		y = V3{Z: -1}
	}
	right = aim.Cross(y).Norm()
	up = right.Cross(aim)
	s, c := math.Sincos(roll * math.Pi / 180)
	return right.Scale(float32(c)).Add(up.Scale(float32(s))), up.Scale(float32(c)).Sub(right.Scale(float32(s)))
}

// Splat returns (s, s, s).
func Splat(s float32) V3 { return V3{s, s, s} }

// Add returns a + b.
func (a V3) Add(b V3) V3 { return V3{a.X + b.X, a.Y + b.Y, a.Z + b.Z} }

// Sub returns a - b.
func (a V3) Sub(b V3) V3 { return V3{a.X - b.X, a.Y - b.Y, a.Z - b.Z} }

// Mul returns the componentwise product.
func (a V3) Mul(b V3) V3 { return V3{a.X * b.X, a.Y * b.Y, a.Z * b.Z} }

// Scale returns s*a.
func (a V3) Scale(s float32) V3 { return V3{a.X * s, a.Y * s, a.Z * s} }

// Neg returns -a.
func (a V3) Neg() V3 { return V3{-a.X, -a.Y, -a.Z} }

// Dot returns the scalar product.
func (a V3) Dot(b V3) float32 { return a.X*b.X + a.Y*b.Y + a.Z*b.Z }

// Cross returns the vector product.
func (a V3) Cross(b V3) V3 {
	return V3{a.Y*b.Z - a.Z*b.Y, a.Z*b.X - a.X*b.Z, a.X*b.Y - a.Y*b.X}
}

// Len returns the Euclidean length.
func (a V3) Len() float32 { return float32(math.Sqrt(float64(a.Dot(a)))) }

// Norm returns a/|a|, or the zero vector when a has no direction.
func (a V3) Norm() V3 {
	l := a.Dot(a)
	if !(l > 1e-30 && l < 1e30) {
		return a.scaledNorm()
	}
	return a.Scale(float32(1 / math.Sqrt(float64(l))))
}

// scaledNorm is Norm for lengths whose square float32 cannot hold.
func (a V3) scaledNorm() V3 {
	m := max(a.X, -a.X, a.Y, -a.Y, a.Z, -a.Z)
	if !(m > 0 && m <= math.MaxFloat32) {
		return V3{}
	}
	a = V3{a.X / m, a.Y / m, a.Z / m}
	return a.Scale(float32(1 / math.Sqrt(float64(a.Dot(a)))))
}

// Max returns the largest component.
func (a V3) Max() float32 { return max(a.X, a.Y, a.Z) }

// Min3 returns the componentwise minimum.
func Min3(a, b V3) V3 { return V3{min(a.X, b.X), min(a.Y, b.Y), min(a.Z, b.Z)} }

// Max3 returns the componentwise maximum.
func Max3(a, b V3) V3 { return V3{max(a.X, b.X), max(a.Y, b.Y), max(a.Z, b.Z)} }

// Lerp returns a + t(b-a).
func Lerp(a, b V3, t float32) V3 { return a.Add(b.Sub(a).Scale(t)) }

// Finite reports whether every component is a finite number.
func (a V3) Finite() bool {
	s := a.X*0 + a.Y*0 + a.Z*0
	return s == 0
}

// Rounding is how far a point that was worked out in float32 may lie from where it
// is meant to be, in metres: some units in the last place of its largest coordinate.
func (a V3) Rounding() float32 {
	return max(a.X, -a.X, a.Y, -a.Y, a.Z, -a.Z, 1) * (1.0 / (1 << 18))
}

// At returns component i (0, 1, 2).
func (a V3) At(i int) float32 {
	switch i {
	case 0:
		return a.X
	case 1:
		return a.Y
	}
	return a.Z
}

// Basis returns two unit vectors that complete the unit vector n to a
// right-handed orthonormal frame (Duff et al. 2017, "Building an Orthonormal
// Basis, Revisited", listing 3).
func Basis(n V3) (t, b V3) {
	s := float32(math.Copysign(1, float64(n.Z)))
	a := -1 / (s + n.Z)
	c := n.X * n.Y * a
	return V3{1 + s*n.X*n.X*a, s * c, -s * n.X}, V3{c, s + n.Y*n.Y*a, -n.Y}
}

// V2 is a texture coordinate or a pair of random numbers.
type V2 struct{ X, Y float32 }

// Mat4 is a column-major 4x4 transform, in float64 so that deep node
// hierarchies keep their places.
type Mat4 [16]float64

// Identity returns the unit transform.
func Identity() Mat4 { return Mat4{0: 1, 5: 1, 10: 1, 15: 1} }

// Mul returns a*b: b is applied first.
func (a Mat4) Mul(b Mat4) (c Mat4) {
	for col := range 4 {
		for row := range 4 {
			var s float64
			for k := range 4 {
				s += a[k*4+row] * b[col*4+k]
			}
			c[col*4+row] = s
		}
	}
	return c
}

// TRS builds translation * rotation (unit quaternion x, y, z, w) * scale.
func TRS(t [3]float64, q [4]float64, s [3]float64) Mat4 {
	x, y, z, w := q[0], q[1], q[2], q[3]
	return Mat4{
		(1 - 2*(y*y+z*z)) * s[0], 2 * (x*y + z*w) * s[0], 2 * (x*z - y*w) * s[0], 0,
		2 * (x*y - z*w) * s[1], (1 - 2*(x*x+z*z)) * s[1], 2 * (y*z + x*w) * s[1], 0,
		2 * (x*z + y*w) * s[2], 2 * (y*z - x*w) * s[2], (1 - 2*(x*x+y*y)) * s[2], 0,
		t[0], t[1], t[2], 1,
	}
}

// Point transforms a position.
func (a Mat4) Point(p V3) V3 {
	x, y, z := float64(p.X), float64(p.Y), float64(p.Z)
	return New(a[0]*x+a[4]*y+a[8]*z+a[12], a[1]*x+a[5]*y+a[9]*z+a[13], a[2]*x+a[6]*y+a[10]*z+a[14])
}

// Dir transforms a direction (no translation).
func (a Mat4) Dir(p V3) V3 {
	x, y, z := float64(p.X), float64(p.Y), float64(p.Z)
	return New(a[0]*x+a[4]*y+a[8]*z, a[1]*x+a[5]*y+a[9]*z, a[2]*x+a[6]*y+a[10]*z)
}

// Det3 returns the determinant of the linear part; negative when the
// transform mirrors, zero when it flattens.
func (a Mat4) Det3() float64 {
	return a[0]*(a[5]*a[10]-a[9]*a[6]) - a[4]*(a[1]*a[10]-a[9]*a[2]) + a[8]*(a[1]*a[6]-a[5]*a[2])
}

// Normal transforms a surface normal by the cofactors of the linear part,
// which equal the inverse transpose up to scale and exist for flat transforms
// too. The result is not normalised.
func (a Mat4) Normal(n V3) V3 {
	x, y, z := float64(n.X), float64(n.Y), float64(n.Z)
	s := 1.0
	if a.Det3() < 0 {
		s = -1
	}
	cx := a[5]*a[10] - a[9]*a[6]
	cy := a[8]*a[6] - a[4]*a[10]
	cz := a[4]*a[9] - a[8]*a[5]
	dx := a[9]*a[2] - a[1]*a[10]
	dy := a[0]*a[10] - a[8]*a[2]
	dz := a[8]*a[1] - a[0]*a[9]
	ex := a[1]*a[6] - a[5]*a[2]
	ey := a[4]*a[2] - a[0]*a[6]
	ez := a[0]*a[5] - a[4]*a[1]
	return New(s*(cx*x+dx*y+ex*z), s*(cy*x+dy*y+ey*z), s*(cz*x+dz*y+ez*z))
}

// Inverse returns the inverse of an affine transform; ok is false where it has
// none.
func (a Mat4) Inverse() (b Mat4, ok bool) {
	d := a.Det3()
	if d == 0 || math.IsNaN(d) || math.IsInf(1/d, 0) {
		return b, false
	}
	k := 1 / d
	b = Mat4{
		(a[5]*a[10] - a[6]*a[9]) * k, (a[2]*a[9] - a[1]*a[10]) * k, (a[1]*a[6] - a[2]*a[5]) * k, 0,
		(a[6]*a[8] - a[4]*a[10]) * k, (a[0]*a[10] - a[2]*a[8]) * k, (a[2]*a[4] - a[0]*a[6]) * k, 0,
		(a[4]*a[9] - a[5]*a[8]) * k, (a[1]*a[8] - a[0]*a[9]) * k, (a[0]*a[5] - a[1]*a[4]) * k, 0,
	}
	for r := range 3 {
		b[12+r] = -(b[r]*a[12] + b[4+r]*a[13] + b[8+r]*a[14])
	}
	b[15] = 1
	return b, true
}

// Shift returns the transform that moves by d.
func Shift(d [3]float64) Mat4 {
	m := Identity()
	m[12], m[13], m[14] = d[0], d[1], d[2]
	return m
}
