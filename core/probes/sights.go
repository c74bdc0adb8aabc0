package probes

import (
	"cmp"
	"maps"
	"math"
	"slices"
	"sync"

	"willowherb/core/packed"
	"willowherb/core/vec"
)

// spot names a gathering: its place, by bits, its rays, and its random numbers.
type spot struct {
	At   [3]uint32
	Rays uint32
	Name uint32
}

func spotOf(p vec.V3, rays int, name uint32) spot {
	return spot{[3]uint32{math.Float32bits(p.X), math.Float32bits(p.Y), math.Float32bits(p.Z)}, uint32(rays), name}
}

// seen is what of a sight no light changes.
type seen struct {
	Backs        float64
	Near, Spread [sides * sides]float32
	Back         vec.V3
}

// given is what of a sight one light gives.
type given struct {
	SH  SH
	Six [6]vec.V3
}

// Sights are what eyes found, so that after a change of one light the others are not gathered
// again. What is found of a light is the same bits alone and in company. Safe for concurrent
// use.
type Sights struct {
	mu   sync.Mutex
	was  []map[spot]given // of each light, of earlier bakes
	eyes map[spot]seen
	now  []map[spot]given // used or found since
	saw  map[spot]seen
	made []bool // something of the light was found anew
	look bool   // the same of what no light changes
}

// NewSights returns what is known of so many lights: nothing.
func NewSights(lights int) *Sights {
	return &Sights{was: make([]map[spot]given, lights), now: make([]map[spot]given, lights), made: make([]bool, lights), saw: map[spot]seen{}}
}

// Eyes reads what no light changes, and Light what is known of a light, as Packed and
// PackedLight gave it. What cannot be read is not known.
func (s *Sights) Eyes(data []byte) {
	s.eyes = read[seen](data)
}

// Light is for a light: see Eyes.
func (s *Sights) Light(i int, data []byte) {
	s.was[i] = read[given](data)
}

// Packed is what was seen of what no light changes; nil where that was all known.
func (s *Sights) Packed() []byte {
	if !s.look {
		return nil
	}
	return pack(s.saw)
}

// PackedLight is what was found of a light; nil where that was all known.
func (s *Sights) PackedLight(i int) []byte {
	if !s.made[i] {
		return nil
	}
	return pack(s.now[i])
}

// listed is a map as lists, in the order of places: the same bytes always.
type listed[T any] struct {
	Spots []spot
	Of    []T
}

func pack[T any](m map[spot]T) []byte {
	l := listed[T]{Spots: slices.SortedFunc(maps.Keys(m), func(a, b spot) int {
		return cmp.Or(slices.Compare(a.At[:], b.At[:]), cmp.Compare(a.Rays, b.Rays), cmp.Compare(a.Name, b.Name))
	})}
	for _, k := range l.Spots {
		l.Of = append(l.Of, m[k])
	}
	return packed.Of(l)
}

// read is what pack made; nil of something else.
func read[T any](data []byte) map[spot]T {
	var l listed[T]
	if packed.Read(data, &l) != nil || len(l.Spots) != len(l.Of) {
		return nil
	}
	m := make(map[spot]T, len(l.Spots))
	for i, k := range l.Spots {
		m[k] = l.Of[i]
	}
	return m
}

// known fills in what is known of a gathering, and tells which lights are not.
func (s *Sights) known(k spot, out *Sight) (lacks []bool, n int) {
	lacks = make([]bool, len(s.was))
	g, ok := s.eyes[k]
	if ok {
		out.Backs, out.Near, out.Spread, out.Back = g.Backs, g.Near, g.Spread, g.Back
	}
	for i, m := range s.was {
		v, has := m[k]
		if has {
			out.SH[i], out.Six[i] = v.SH, v.Six
		}
		if !has || !ok {
			lacks[i] = true
			n++
		}
	}
	return lacks, n
}

// keep notes a whole sight; made are the lights that were found anew.
func (s *Sights) keep(k spot, v *Sight, made []bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if _, ok := s.eyes[k]; !ok {
		s.look = true
	}
	s.saw[k] = seen{v.Backs, v.Near, v.Spread, v.Back}
	for i := range s.now {
		if s.now[i] == nil {
			s.now[i] = map[spot]given{}
		}
		s.now[i][k] = given{v.SH[i], v.Six[i]}
		s.made[i] = s.made[i] || made[i]
	}
}
