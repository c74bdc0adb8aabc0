package probes

// Thinned is the field as it would be with its probes twice as far apart, each reaching twice as
// far: of those over the ground and in boxes no two of one density stay nearer to one another,
// at one height over the ground, than one and a half times their distance. Probes set by hand stay.
func (f *Field) Thinned() *Field {
	out := &Field{Lights: f.Lights, Dropped: f.Dropped, Tried: f.Tried, size: max(2*f.size, 1)}
	const level = 0.5 // metres, at which heights differ
	near := func(p *Probe, apart float32) bool {
		c := out.cell(p.Pos)
		for x := c[0] - 1; x <= c[0]+1; x++ {
			for y := c[1] - 1; y <= c[1]+1; y++ {
				for z := c[2] - 1; z <= c[2]+1; z++ {
					for _, i := range out.cells[[3]int32{x, y, z}] {
						q := &out.Probes[i]
						d := q.Pos.Sub(p.Pos)
						if p.Kind == ByRule {
							if d.Y >= level || d.Y <= -level {
								continue
							}
							d.Y = 0
						}
						if q.Kind == p.Kind && q.Reach == 2*p.Reach && d.Len() < apart {
							return true
						}
					}
				}
			}
		}
		return false
	}
	for i := range f.Probes {
		p := f.Probes[i]
		if p.Kind != Set {
			apart := p.Reach / reaches
			if p.Kind == Filled {
				apart = p.Reach / fills
			}
			if near(&p, float32(1.5*apart)) {
				continue
			}
			p.Reach *= 2
		}
		out.add(p)
	}
	return out
}
