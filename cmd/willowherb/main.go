// Command willowherb is the whole application: the server and the command line.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"regexp"
	"strings"
	"syscall"

	"github.com/alecthomas/kong"
)

type cli struct {
	Serve     serveCmd     `cmd:"" help:"Serve the application."`
	Still     stillCmd     `cmd:"" help:"Light a GLB file and write a picture."`
	Frames    framesCmd    `cmd:"" help:"Make final frames: of a view, of the way through several, or of a camera that travels."`
	Worker    workerCmd    `cmd:"" help:"Take part in the bakes of a server, on this machine or another."`
	Bake      bakeCmd      `cmd:"" help:"Bake lightmaps and probes."`
	Probe     probeCmd     `cmd:"" help:"Say what light arrives at a point from all sides: of a bake's probe field, or by reference."`
	Texel     texelCmd     `cmd:"" help:"Say what a bake's lightmap holds on the surface nearest to a point."`
	Walk      walkCmd      `cmd:"" help:"What automatic exposure does along a way through views, against what is held."`
	Reference referenceCmd `cmd:"" help:"How a finished picture measures: key, contrast, temperatures, palette."`
	Sky       skyCmd       `cmd:"" help:"Say what sun and sky give at a height of the sun, and write the dome as a picture."`
	Measure   measureCmd   `cmd:"" help:"Say what an environment picture gives, and where its sun is."`
	Grade     gradeCmd     `cmd:"" help:"Take a linear picture through a .cube table and write it for a screen."`
	Cube      cubeCmd      `cmd:"" help:"Write a setup's grade as a .cube table."`
	Beam      beamCmd      `cmd:"" help:"Say where a sun must stand to shine on a spot."`
	Step      stepCmd      `cmd:"" help:"Say how far an eye can go in a place before surfaces stop it."`
	Openings  openingsCmd  `cmd:"" help:"List the openings by which rooms see the sky: windows and doors that are found, and rects that are marked."`
	Cost      costCmd      `cmd:"" help:"Say what a view costs on a target: by pass, by light, and in memory."`
	Device    deviceCmd    `cmd:"" help:"Measure views on the simulated device: a CSV file of timings."`
	Calibrate calibrateCmd `cmd:"" help:"Fit a target to a device's timings."`
	Savings   savingsCmd   `cmd:"" help:"Find the changes that bring views under a limit with the least loss."`
	Route     routeCmd     `cmd:"" help:"Walk a route: light, exposure, readability and cost at every step."`
	Survey    surveyCmd    `cmd:"" help:"Look at all of a level that can be walked: light at floor and eye, lights and shadows that overlap, cost."`
	Check     checkCmd     `cmd:"" help:"Hold views and routes to their budget and rules, for a build: exit status 2 where one is broken."`
	Inspect   inspectCmd   `cmd:"" help:"Say what is in a GLB file."`
	Place     demoCmd      `cmd:"" name:"demo" help:"Write the demo place and its setup as files."`
}

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	var c cli
	k, err := kong.Must(&c, kong.Name("willowherb"), kong.UsageOnError(),
		kong.Description("Every light earns its place: lights playable levels, shows what each light gives and costs.")).Parse(joined(os.Args[1:]))
	if err != nil {
		fmt.Fprintln(os.Stderr, "willowherb: error:", err)
		os.Exit(80)
	}
	k.BindTo(ctx, (*context.Context)(nil))
	if err := k.Run(); err != nil {
		if errors.Is(err, context.Canceled) {
			err = errors.New("stopped")
		}
		fmt.Fprintln(os.Stderr, "willowherb:", err)
		if errors.Is(err, errBroken) {
			os.Exit(2)
		}
		os.Exit(1)
	}
}

var belowZero = regexp.MustCompile(`^-[0-9.][0-9.,e+-]*$`)

// joined joins a flag to a number below zero that follows it, which would be taken for
// another flag.
func joined(args []string) (out []string) {
	for _, a := range args {
		if n := len(out) - 1; n >= 0 && strings.HasPrefix(out[n], "--") && !strings.Contains(out[n], "=") && belowZero.MatchString(a) {
			out[n] += "=" + a
			continue
		}
		out = append(out, a)
	}
	return out
}
