package demo

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/bake"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/world"
	"willowherb/format/gltf"
)

// baked is the place ready for a bake.
type baked struct {
	s       *scene.Scene
	w, rest *world.World
	doc     *setup.Setup
	lamps   []*lamps.Lamp
}

func bakeable(t testing.TB) baked {
	glb, err := Place()
	require.NoError(t, err)
	file, err := gltf.Read(context.Background(), "place.glb", glb, nil, gltf.DefaultLimits())
	require.NoError(t, err)
	st, err := lamps.Resolve(Setup(), "")
	require.NoError(t, err)
	on := staging.Of(st.Setup, "file", "place.glb")
	s, w, err := on.Compile(file, 2)
	require.NoError(t, err)
	rest, err := w.Resting(staging.Movers(st.Setup, s), 2)
	require.NoError(t, err)
	return baked{s, w, rest, st.Setup, st.Lamps(s, nil)}
}

func (p *baked) plan(t testing.TB, quality string) *bake.Plan {
	plan, err := bake.Lay(context.Background(), p.s, p.w, p.doc, setup.Qualities[quality], 2)
	require.NoError(t, err)
	return plan
}

func (p *baked) ready(t testing.TB, plan *bake.Plan) *bake.Baker {
	b, err := bake.NewBaker(context.Background(), p.rest, plan, bake.Sources(p.lamps, &plan.Rules, nil), nil, 2)
	require.NoError(t, err)
	return b
}

func BenchmarkBakePlan(b *testing.B) {
	p := bakeable(b)
	var plan *bake.Plan
	for b.Loop() {
		plan = p.plan(b, "review")
	}
	surfaces, padded := plan.Filled()
	b.ReportMetric(float64(plan.Texels()), "texels")
	b.ReportMetric(surfaces*100, "%filled")
	b.ReportMetric(padded*100, "%padded")
}

func BenchmarkBakeReady(b *testing.B) {
	p := bakeable(b)
	plan := p.plan(b, "draft")
	for b.Loop() {
		p.ready(b, plan)
	}
}

func BenchmarkBakeTexels(b *testing.B) {
	p := bakeable(b)
	plan := p.plan(b, "draft")
	ready := p.ready(b, plan)
	var samples int64
	for b.Loop() {
		for _, l := range plan.Objects {
			if l.Path == "Pump hall/Hall floor" || l.Path == "Culvert/Culvert" || l.Path == "Pump hall/Pumps" {
				o, err := ready.Object(context.Background(), l, nil)
				require.NoError(b, err)
				samples += o.Samples
			}
		}
	}
	b.ReportMetric(float64(samples)/b.Elapsed().Seconds(), "samples/s")
}
