package gltf

import (
	"fmt"
	"math"

	"willowherb/core/scene"
	"willowherb/core/vec"
)

// place notes node i of the file as the next node of the scene, under up.
func (r *reader) place(i, up int, local vec.Mat4) {
	n := &r.doc.Nodes[i]
	o := scene.Node{Name: n.Name, Parent: up, R: [4]float64{0, 0, 0, 1}, S: [3]float64{1, 1, 1}}
	if len(n.Matrix) > 0 {
		o.Fixed = &local
	}
	// local has checked their lengths.
	copy(o.T[:], n.Translation)
	copy(o.S[:], n.Scale)
	if len(n.Rotation) == 4 {
		l := math.Sqrt(n.Rotation[0]*n.Rotation[0] + n.Rotation[1]*n.Rotation[1] + n.Rotation[2]*n.Rotation[2] + n.Rotation[3]*n.Rotation[3])
		for k := range o.R {
			o.R[k] = n.Rotation[k] / l
		}
	}
	if r.numbers == nil {
		r.numbers = map[int]int{}
	}
	r.numbers[i] = len(r.out.Nodes)
	r.origin = append(r.origin, i)
	r.out.Nodes = append(r.out.Nodes, o)
}

// instances are the transforms within a node drawn many times (EXT_mesh_gpu_instancing).
func (r *reader) instances(at string, attributes map[string]int) ([]vec.Mat4, error) {
	at += ".extensions.EXT_mesh_gpu_instancing.attributes"
	count := -1
	get := func(name, kind string) (span, bool, error) {
		i, ok := attributes[name]
		if !ok {
			return span{}, false, nil
		}
		sp, err := r.accessor(at+"."+name, i, r.lim.Instances, kind)
		if err == nil && count >= 0 && sp.n != count {
			err = r.fail(at+"."+name, again, "has %d elements where the others have %d", sp.n, count)
		}
		count = sp.n
		return sp, true, err
	}
	t, hasT, err := get("TRANSLATION", "VEC3")
	if err != nil {
		return nil, err
	}
	q, hasQ, err := get("ROTATION", "VEC4")
	if err != nil {
		return nil, err
	}
	s, hasS, err := get("SCALE", "VEC3")
	if err != nil {
		return nil, err
	}
	if count < 0 {
		return nil, r.fail(at, again, "names no translation, rotation or scale")
	}
	out := make([]vec.Mat4, count)
	for i := range out {
		a, b, c := [3]float64{}, [4]float64{0, 0, 0, 1}, [3]float64{1, 1, 1}
		for k := range 3 {
			if hasT {
				a[k] = float64(t.float(i, k))
			}
			if hasS {
				c[k] = float64(s.float(i, k))
			}
		}
		if hasQ {
			l := 0.0
			for k := range b {
				b[k] = float64(q.float(i, k))
				l += b[k] * b[k]
			}
			if l = math.Sqrt(l); !(l > 1e-6) {
				return nil, r.fail(fmt.Sprintf("%s.ROTATION, element %d", at, i), again, "is not a rotation")
			}
			for k := range b {
				b[k] /= l
			}
		}
		out[i] = vec.TRS(a, b, c)
	}
	return out, nil
}

// animations reads the clips that move nodes of the scene.
func (r *reader) animations() error {
	weights := 0
	total := int64(0)
	for ai := range r.doc.Animations {
		in := &r.doc.Animations[ai]
		out := scene.Animation{Name: in.Name}
		for ci, c := range in.Channels {
			at := fmt.Sprintf("animations[%d].channels[%d]", ai, ci)
			if c.Target.Path == "weights" {
				weights++
				continue
			}
			if c.Target.Node == nil {
				continue // aimed by an extension that is not known here
			}
			node, ok := r.numbers[*c.Target.Node]
			if !ok {
				if *c.Target.Node < 0 || *c.Target.Node >= len(r.doc.Nodes) {
					return r.fail(at+".target.node", again, "names node %d of %d", *c.Target.Node, len(r.doc.Nodes))
				}
				continue // of another scene of the file
			}
			if r.out.Nodes[node].Fixed != nil {
				r.warn("%s moves a node that has a matrix, and is left out", at)
				continue
			}
			if c.Sampler < 0 || c.Sampler >= len(in.Samplers) {
				return r.fail(at+".sampler", again, "names sampler %d of %d", c.Sampler, len(in.Samplers))
			}
			s := &in.Samplers[c.Sampler]
			sat := fmt.Sprintf("animations[%d].samplers[%d]", ai, c.Sampler)
			ch := scene.Channel{Node: node}
			kind := "VEC3"
			switch c.Target.Path {
			case "translation":
				ch.Target = scene.Translation
			case "rotation":
				ch.Target, kind = scene.Rotation, "VEC4"
			case "scale":
				ch.Target = scene.Scaling
			default:
				return r.fail(at+".target.path", again, "%q is unknown", c.Target.Path)
			}
			if err := r.keys(&ch, s, sat, at, kind, &total); err != nil {
				return err
			}
			out.Channels = append(out.Channels, ch)
		}
		if len(out.Channels) > 0 {
			r.out.Animations = append(r.out.Animations, out)
		}
	}
	if weights > 0 {
		r.warn("%d animations of shapes (morph targets) are left out", weights)
	}
	return nil
}

// keys reads the times and values of a channel.
func (r *reader) keys(ch *scene.Channel, s *animationSampler, sat, at, kind string, total *int64) error {
	per := 1
	switch s.Interpolation {
	case "", "LINEAR":
	case "STEP":
		ch.How = scene.Step
	case "CUBICSPLINE":
		ch.How, per = scene.Cubic, 3
	default:
		return r.fail(sat+".interpolation", again, "%q is unknown", s.Interpolation)
	}
	times, err := r.accessor(sat+".input", s.Input, r.lim.Keys, "SCALAR")
	if err != nil {
		return err
	}
	values, err := r.accessor(sat+".output", s.Output, 3*r.lim.Keys, kind)
	if err != nil {
		return err
	}
	if times.comp != 5126 {
		return r.fail(sat+".input", again, "component type %d is not float", times.comp)
	}
	if values.n != per*times.n {
		return r.fail(sat+".output", again, "has %d elements for %d keys", values.n, times.n)
	}
	if *total += int64(values.n); *total > 4*r.lim.Keys {
		return r.fail(at, "shorten the animations", "all animations together have over %d keys", 4*r.lim.Keys)
	}
	for i := range times.n {
		t := times.float(i, 0)
		if !(t >= 0 && t < 1e6) || i > 0 && t <= ch.Times[i-1] {
			return r.fail(fmt.Sprintf("%s.input, element %d", sat, i), again, "the times do not rise")
		}
		ch.Times = append(ch.Times, t)
	}
	for i := range values.n {
		for k := range values.of {
			v := values.float(i, k)
			if !(v > -1e9 && v < 1e9) {
				return r.fail(fmt.Sprintf("%s.output, element %d", sat, i), again, "holds %g", v)
			}
			ch.Values = append(ch.Values, v)
		}
	}
	return nil
}
