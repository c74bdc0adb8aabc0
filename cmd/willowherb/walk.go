package main

import (
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"willowherb/core/exposure"
	"willowherb/core/lamps"
	"willowherb/core/setup"
	"willowherb/core/staging"
	"willowherb/core/still"
	"willowherb/format/gltf"
)

type walkCmd struct {
	File    string  `arg:"" help:"The .glb or .gltf file." type:"existingfile"`
	Setup   string  `help:"A setup as JSON, with views." type:"existingfile" required:""`
	Look    string  `help:"Name or id of a look of the setup."`
	Along   string  `help:"Names or ids of views, with commas between; without it all of them."`
	Camera  string  `help:"Name of a camera of the file that travels, in the place of views; it takes its own time."`
	Seconds float64 `help:"How long the way takes." default:"20"`
	JSON    bool    `help:"Report as JSON." name:"json"`
}

func (c *walkCmd) Run(ctx context.Context) error {
	if !(c.Seconds >= 0.1 && c.Seconds <= 3600) {
		return usage("--seconds %g is not between 0.1 and 3600", c.Seconds)
	}
	data, err := os.ReadFile(c.Setup)
	if err != nil {
		return err
	}
	doc, err := setup.Parse(data)
	if err != nil {
		return fmt.Errorf("%s: %w", filepath.Base(c.Setup), err)
	}
	if doc.Look, err = lookOf(doc, c.Look); err != nil {
		return err
	}
	doc = lamps.Shown(doc)
	ids := doc.SortedViews()
	if c.Along != "" {
		if ids, err = viewIDs(doc, c.Along); err != nil {
			return err
		}
	}
	if len(ids) == 0 && c.Camera == "" {
		return usage("%s: has no views to walk along", filepath.Base(c.Setup))
	}
	s, err := gltf.ReadFile(ctx, c.File, gltf.DefaultLimits())
	if err != nil {
		return err
	}
	if ways := still.Travelling(s); c.Camera != "" && !slices.Contains(ways, c.Camera) {
		return usage("camera %q does not travel; there are: %s", c.Camera, cmp.Or(strings.Join(ways, ", "), "none"))
	} else if c.Camera != "" {
		c.Seconds = s.Duration()
	}
	on := staging.Of(doc, "file", filepath.Base(c.File))
	s, wd, err := on.Compile(s, runtime.GOMAXPROCS(0))
	if err != nil {
		return err
	}
	st, err := lamps.Resolve(doc, "")
	if err != nil {
		return err
	}
	auto := exposure.StandardAuto()
	if doc.Auto != nil {
		auto = *doc.Auto
	}
	way, err := still.Along(ctx, still.Walk{Setup: doc, World: wd, Lamps: st.Lamps(s, nil), Views: ids, Camera: c.Camera, Seconds: c.Seconds, Auto: auto, Workers: runtime.GOMAXPROCS(0)})
	if err != nil {
		return err
	}
	swing, at := exposure.Swing(way)
	if c.JSON {
		return writeJSON(map[string]any{"moments": way, "swing": swing, "at": at, "auto": auto})
	}
	for _, m := range way {
		fmt.Printf("%6.1f s  %-16s held %5.1f  asked for %5.1f  adapted %5.1f\n", m.Seconds, m.Near, m.Held, m.Wanted, m.Adapted)
	}
	fmt.Printf("strays %.1f stops at most, at %.1f s\n", swing, way[at].Seconds)
	return nil
}

// viewIDs are the views that are named, with commas between.
func viewIDs(doc *setup.Setup, named string) (ids []string, err error) {
	for _, n := range strings.Split(named, ",") {
		n = strings.TrimSpace(n)
		found := ""
		for _, id := range doc.SortedViews() {
			if id == n || strings.EqualFold(doc.Views[id].Name, n) {
				found = id
				break
			}
		}
		if found == "" {
			_, _, err := viewOf(doc, n)
			return nil, err
		}
		ids = append(ids, found)
	}
	return ids, nil
}
