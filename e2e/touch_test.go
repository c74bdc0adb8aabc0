package e2e

import (
	"context"
	"fmt"
	"math"
	"testing"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"
	"willowherb/core/vec"
)

// touch sends what the fingers do: where each is now.
func touch(kind input.DispatchTouchEventType, at ...[2]float64) chromedp.Action[chromedp.Void] {
	p := input.DispatchTouchEventParams{Type: kind, TouchPoints: []*input.TouchPoint{}}
	for i, q := range at {
		id := float64(i + 1)
		p.TouchPoints = append(p.TouchPoints, &input.TouchPoint{ID: &id, X: q[0], Y: q[1]})
	}
	return chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, input.DispatchTouchEvent, p)
		return err
	})
}

// fingers puts fingers on the screen, moves them in steps, and lifts them.
func (b *tab) fingers(from, to [][2]float64) {
	b.t.Helper()
	for k := 0; k <= 8; k++ {
		var at [][2]float64
		for i := range from {
			q := float64(k) / 8
			at = append(at, [2]float64{from[i][0] + (to[i][0]-from[i][0])*q, from[i][1] + (to[i][1]-from[i][1])*q})
		}
		kind := input.DispatchTouchEventTypeTouchMove
		if k == 0 {
			kind = input.DispatchTouchEventTypeTouchStart
		}
		b.do(touch(kind, at...))
	}
	b.do(touch(input.DispatchTouchEventTypeTouchEnd))
}

// eye is where the picture is seen from.
func (b *tab) eye() vec.V3 {
	b.t.Helper()
	var v [3]float64
	_, err := fmt.Sscan(js[string](b, `document.querySelector('[data-testid=picture-frame]').dataset.eye`), &v[0], &v[1], &v[2])
	require.NoError(b.t, err)
	return vec.New(v[0], v[1], v[2])
}

// A touch screen is worked by fingers: one chooses by a tap and turns by a drag, two
// go nearer and along; nothing of it scrolls the page or chooses by mistake.
func TestThePictureByFingers(t *testing.T) {
	s := shared(t)
	b := open(t, s.base, 1280, 800)
	b.do(chromedp.EmulateViewport(1280, 800, chromedp.EmulateTouch, func(_ *emulation.SetDeviceMetricsOverrideParams, p *emulation.SetTouchEmulationEnabledParams) {
		p.MaxTouchPoints = 5
	}), chromedp.Reload())
	b.settled()
	b.until("fingers are known", `navigator.maxTouchPoints > 1`)
	px, py := b.in(0.5, 0.8)
	b.do(touch(input.DispatchTouchEventTypeTouchStart, [2]float64{px, py}), touch(input.DispatchTouchEventTypeTouchEnd))
	b.until("a tap chooses", `document.querySelector('[data-testid=spot]').textContent != ''`)

	from := b.eye()
	x, y := b.in(0.5, 0.6)
	b.fingers([][2]float64{{x, y}}, [][2]float64{{x + 120, y}})
	turned := b.eye()
	require.Greater(t, turned.Sub(from).Len(), float32(0.05), "one finger turns about what it touched")

	b.until("at rest", placed)
	before := b.eye()
	b.fingers([][2]float64{{x - 40, y}, {x + 40, y}}, [][2]float64{{x - 150, y}, {x + 150, y}})
	near := b.eye()
	require.Greater(t, near.Sub(before).Len(), float32(0.1), "two fingers apart go nearer")
	b.fingers([][2]float64{{x - 150, y}, {x + 150, y}}, [][2]float64{{x - 40, y}, {x + 40, y}})
	require.Less(t, float64(b.eye().Sub(before).Len()), 0.3*float64(near.Sub(before).Len()), "and together back")
	require.Zero(t, math.Abs(js[float64](b, `scrollX + scrollY + (visualViewport.scale - 1)`)), "the page stays")
}
