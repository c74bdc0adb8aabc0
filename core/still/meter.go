package still

import (
	"context"
	"math"
	"runtime"

	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/scene"
	"willowherb/core/setup"
	"willowherb/core/world"
)

// MeterViews sets the held exposure of a fresh setup's views from a small, quick
// picture of each. A view that cannot be metered keeps its exposure.
func MeterViews(ctx context.Context, s *scene.Scene, doc *setup.Setup) {
	w, err := world.Compile(s, runtime.GOMAXPROCS(0))
	if err != nil {
		return
	}
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		return
	}
	lamps := st.Lamps(s, nil)
	for i, id := range doc.SortedViews() {
		if i >= 12 {
			return
		}
		v := doc.Views[id]
		const width = 96
		pic, err := Render(ctx, Order{World: w, Lamps: lamps, View: v.Camera(), W: width, H: max(int(width/v.Aspect), 2), Samples: 4, Paths: true})
		if err != nil {
			return
		}
		v.EV = min(max(math.Round(exposure.Metered(pic.RGB)*10)/10, -6), 18)
		doc.Views[id] = v
	}
}
