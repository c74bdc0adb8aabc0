package main

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"

	"willowherb/core/bake"
	"willowherb/core/scene"
	"willowherb/core/vec"
	"willowherb/format/lightmap"
)

type texelCmd struct {
	File string `arg:"" help:"The .glb or .gltf file that was baked." type:"existingfile"`
	Bake string `help:"Folder of the bake." required:"" type:"existingdir"`
	At   string `help:"The point x,y,z in metres; the nearest surface that is in the map answers." required:""`
	JSON bool   `help:"Report as JSON." name:"json"`
	// Normal asks for another surface in the same place.
	Normal string `help:"A normal x,y,z that the surface is bent to there, as by a normal map: its light too, where the bake is directional."`
}

func (c *texelCmd) Run(ctx context.Context) error {
	at, err := parsePoint(c.At)
	if err != nil {
		return err
	}
	o, err := (&litPlace{File: c.File}).open(ctx)
	if err != nil {
		return err
	}
	d, err := lightmap.Read(c.Bake)
	if err != nil {
		return err
	}
	tri, u, v, far, ok := nearestIn(o.s, d, at)
	if !ok {
		return usage("nothing of %s is in the map of %s: was it baked from another file?", c.File, c.Bake)
	}
	ob := &o.s.Objects[o.s.Obj[tri]]
	charts := d.Of(ob.Path)
	k := int(tri) - ob.First
	lux, page, x, y, ok := d.At(charts, k, u, v)
	if !ok {
		return usage("the surface there has no texel")
	}
	gains := d.Gains()
	var sum vec.V3
	lights := map[string]float64{}
	for i, l := range d.Lights {
		e := lux[i].Mul(gains[i])
		sum = sum.Add(e)
		lights[l.ID] = luminance(e)
	}
	a, b, e := o.s.Corner(tri)
	texel := d.Texel(charts, k, [3]vec.V3{o.s.V.Pos[a], o.s.V.Pos[b], o.s.V.Pos[e]})
	p := o.s.PointAt(tri, u, v)
	more := map[string]any{}
	if d.Leans != nil {
		lean, _ := d.Summed(d.Leans, charts, k, u, v)
		more["lean"] = lean.Array()
		if c.Normal != "" {
			n, err := parsePoint(c.Normal)
			if err != nil {
				return err
			}
			if n = n.Norm(); n.Dot(p.Ng) <= 0 {
				return usage("--normal %s points into the surface there, whose own is %.2f,%.2f,%.2f", c.Normal, p.Ng.X, p.Ng.Y, p.Ng.Z)
			}
			more["bentLux"] = luminance(sum) * float64(bake.Tilted(lean, p.Ng, n))
		}
	} else if c.Normal != "" {
		return usage("the bake is not directional: bake with --directional for --normal")
	}
	if d.Opens != nil {
		open, _ := d.Summed(d.Opens, charts, k, u, v)
		more["openness"] = open.X
	}
	if c.JSON {
		told := map[string]any{"file": c.File, "object": ob.Path, "at": p.Pos.Array(), "normal": p.Ng.Array(), "away": far, "lux": luminance(sum), "rgb": sum.Array(), "lights": lights, "texel": texel, "page": page, "x": x, "y": y}
		maps.Copy(told, more)
		return writeJSON(told)
	}
	fmt.Printf("%s: %.4g lx, a texel of %.3g m, %.3g m from the point\n", ob.Path, luminance(sum), texel, far)
	for _, l := range d.Lights {
		if lights[l.ID] > 0 {
			fmt.Printf("  %-28s %10.4g lx\n", l.Name, lights[l.ID])
		}
	}
	for _, k := range slices.Sorted(maps.Keys(more)) {
		fmt.Printf("  %s %.4g\n", k, more[k])
	}
	return nil
}

// nearestIn is the place on what is in the map that is nearest to a point.
func nearestIn(s *scene.Scene, d *lightmap.Delivered, at vec.V3) (tri uint32, u, v, far float32, ok bool) {
	best := float32(1e30)
	for i := range s.Objects {
		o := &s.Objects[i]
		c := d.Of(o.Path)
		if c == nil || len(c.Page) != o.Count {
			continue
		}
		q := vec.Max3(o.Lo, vec.Min3(o.Hi, at)).Sub(at)
		if q.Dot(q) > best {
			continue
		}
		for t := o.First; t < o.First+o.Count; t++ {
			if c.Page[t-o.First] < 0 {
				continue
			}
			if a, b, l := s.Nearest(uint32(t), at); l < best {
				tri, u, v, best, ok = uint32(t), a, b, l, true
			}
		}
	}
	return tri, u, v, float32(math.Sqrt(float64(best))), ok
}
