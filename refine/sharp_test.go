package refine

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/plan"
	"willowherb/stage"
)

// What is small is shown on the surfaces of full size at once, first coarse, then half; never
// after a light has its own layer of that size.
func TestWhatIsSmallIsShownSharpUntilThereIsMore(t *testing.T) {
	h, p := opened(t, Options{Width: 200, MaxSamples: 2, Workers: 2})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	h.mu.Lock()
	var levels []int
	full := false
	for _, n := range h.news[1] {
		switch m := n.(type) {
		case Sharp:
			require.False(t, full, "not after the full picture")
			require.Equal(t, 200, m.Width)
			require.Equal(t, int64(0), m.Revision)
			levels = append(levels, m.Level)
		case *FrameNews:
			full = full || m.View == "" && m.Level == plan.Full
		}
	}
	h.mu.Unlock()
	require.Equal(t, []int{plan.Coarse, plan.Middle}, levels)
	h.edit(p, replace("/lights/one/range", 5))
	h.wait("the moved light at full size", func() bool { return p.finished("a")["one"] == 2 })
	require.False(t, h.has(1, func(n News) bool { m, ok := n.(Sharp); return ok && m.Revision > 0 }), "the other lights' layers are better")
}

// A light that was moved goes from its coarse layer to the one at full size.
func TestAMovedLightIsAtFullSizeNext(t *testing.T) {
	h, p := opened(t, Options{Width: 64, MaxSamples: 4, Workers: 2})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 4)
	h.edit(p, replace("/lights/one/position", [3]float64{1, 2, 0.5}))
	h.wait("it at full size", func() bool { return p.finished("a")["one"] == 4 })
	key := stage.KeyName(p.lamps[0].Key)
	h.mu.Lock()
	defer h.mu.Unlock()
	var levels []int
	for _, n := range h.news[1] {
		if m, ok := n.(*FrameNews); ok && m.View == "" && m.Layers[key].Version > 0 {
			levels = append(levels, m.Level)
		}
	}
	require.Equal(t, plan.Coarse, levels[0])
	require.NotContains(t, levels, plan.Middle)
	require.Equal(t, plan.Full, levels[1])
}

func TestASharpPictureIsOfItsRevision(t *testing.T) {
	h, p := opened(t, Options{Width: 64, MaxSamples: 2, Workers: 2})
	h.view(1, "a")
	h.waitFor(1, plan.Full, 2)
	key := p.key("a")
	h.studio.Close() // from here on it is asked for by hand
	p.mu.Lock()
	seen := p.sights[key]
	require.Nil(t, seen.sharp)
	require.False(t, p.dull(seen), "there is a full picture")
	seen.levels[plan.Full] = nil
	require.True(t, p.dull(seen))
	p.mu.Unlock()
	again := func() Sharp {
		require.NoError(t, p.sharpen(ctx, plan.Job{Sight: key}))
		require.False(t, p.dull(seen))
		return seen.sharp.news
	}
	first := again()
	require.Equal(t, plan.Middle, first.Level)
	words := p.Layer(first.Frame, SharpLayer, first.Address)
	require.Len(t, words, first.Width*first.Height)
	require.Equal(t, first.Address, address(words))
	require.Nil(t, p.Layer(first.Frame, SharpLayer, "0000000000000000"))
	surfaces := seen.sharp.by

	p.mu.Lock()
	p.lamps[0].Off = true
	p.revision++
	require.True(t, p.dull(seen), "another revision may have other gains")
	p.mu.Unlock()
	require.NoError(t, p.resharpen(ctx), "at once, beside the worker")
	second := seen.sharp.news
	require.False(t, p.dull(seen))
	require.Equal(t, first.Revision+1, second.Revision)
	require.NotEqual(t, first.Address, second.Address)
	require.Same(t, surfaces, seen.sharp.by, "its surfaces are kept")
	require.Nil(t, p.Layer(first.Frame, SharpLayer, first.Address), "what is not the newest is gone")

	p.mu.Lock()
	seen.levels[plan.Middle] = nil
	require.True(t, p.dull(seen))
	p.mu.Unlock()
	require.Equal(t, plan.Coarse, again().Level)
	require.Greater(t, seen.sharp.bytes(), 60*64*64/2)
	p.mu.Lock()
	seen.levels[plan.Coarse] = nil
	require.False(t, p.dull(seen), "there is nothing to be made sharp")
	seen.stage = &stage.Stage{}
	require.False(t, p.dull(seen), "nor of another stage's lamps")
	p.mu.Unlock()
	require.NoError(t, p.sharpen(ctx, plan.Job{Sight: key}))
	require.NoError(t, p.sharpen(ctx, plan.Job{Sight: "none"}))
	p.drop(key)
	require.Nil(t, seen.sharp, "memory is given back")
}
