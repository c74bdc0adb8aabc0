package plan

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func key(n byte) [32]byte { return [32]byte{n} }

func layer(n byte, samples, version int) Layer {
	return Layer{Key: key(n), Samples: samples, Version: version}
}

// shown is a sight in a window, as far as its frames are.
func shown(name string, coarse, middle, full []Layer) Sight {
	return Sight{Key: name, Shown: true, Frames: [Levels]Frame{{Goal: 1, Layers: coarse}, {Goal: 1, Layers: middle}, {Goal: 128, Layers: full}, {Goal: 32}}}
}

func dull(s Sight) Sight {
	s.Dull = true
	return s
}

func saved(name string, layers ...Layer) Sight {
	return Sight{Key: name, Saved: true, Frames: [Levels]Frame{Thumb: {Goal: 32, Layers: layers}}}
}

func TestNext(t *testing.T) {
	one := []Layer{layer(1, 1, 1)}
	fresh := []Layer{layer(1, 0, 0), layer(2, 0, 0)}
	both := [][32]byte{key(1), key(2)}
	finer := Layer{Key: key(1), Finer: true}
	for _, c := range []struct {
		name     string
		in       []Setup
		want     Job
		restless bool
	}{
		{"nothing open", nil, Job{}, false},
		{"coarse comes first", []Setup{{ID: 1, Sights: []Sight{shown("a", fresh, fresh, fresh)}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Coarse, Lamps: both}, false},
		{"then half size", []Setup{{ID: 1, Sights: []Sight{shown("a", one, fresh, fresh)}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Middle, Lamps: both}, false},
		{"then full size", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, fresh)}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: both}, false},
		{"a changed light catches up alone", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{layer(1, 8, 8), layer(2, 0, 0)})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(2)}}, false},
		{"what is published finer needs nothing coarse", []Setup{{ID: 1, Sights: []Sight{shown("a", []Layer{finer}, []Layer{finer}, []Layer{layer(1, 1, 1)})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(1)}, From: 1}, false},
		{"what was stopped before it was published is owed, and comes first", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{layer(1, 4, 4), layer(2, 4, 1)})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(2)}, From: 4, Owed: true}, false},
		{"three samples are not published", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{layer(1, 3, 2)})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(1)}, From: 3}, false},
		{"at its goal a layer is finished", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{layer(1, 128, 128)})}}}, Job{}, false},
		{"at its goal it may still be owed", []Setup{{ID: 1, Sights: []Sight{{Key: "a", Shown: true, Frames: [Levels]Frame{Full: {Goal: 100, Layers: []Layer{layer(1, 100, 64)}}}}}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(1)}, From: 100, Owed: true}, false},
		{"a clean layer is left out", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{{Key: key(1), Samples: 8, Version: 8, Clean: true}, layer(2, 16, 16)})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(2)}, From: 16}, false},
		{"too few samples are not believed to be clean", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, []Layer{{Key: key(1), Samples: 4, Version: 4, Clean: true}})}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: [][32]byte{key(1)}, From: 4}, false},
		{"a failed sight is set aside", []Setup{{ID: 1, Sights: []Sight{{Key: "a", Shown: true, Failed: true, Frames: [Levels]Frame{{Goal: 1, Layers: fresh}}}, shown("b", fresh, nil, nil)}}},
			Job{Kind: Samples, Setup: 1, Sight: "b", Level: Coarse, Lamps: both}, false},
		{"a sight that nobody shows gets no picture", []Setup{{ID: 1, Sights: []Sight{{Key: "a", Frames: [Levels]Frame{{Goal: 1, Layers: fresh}, {Goal: 1, Layers: fresh}, {Goal: 9, Layers: fresh}, {Goal: 32, Layers: fresh}}}}}}, Job{}, false},
		{"what is small is shown on the surfaces of full size before more is made", []Setup{{ID: 1, Sights: []Sight{dull(shown("a", one, fresh, fresh))}}},
			Job{Kind: Sharpen, Setup: 1, Sight: "a", Level: Full}, false},
		{"but another sight's coarse picture first", []Setup{{ID: 1, Sights: []Sight{dull(shown("a", one, fresh, fresh)), shown("b", fresh, fresh, fresh)}}},
			Job{Kind: Samples, Setup: 1, Sight: "b", Level: Coarse, Lamps: both}, false},
		{"thumbnails wait for the first full sample", []Setup{{ID: 1, Sights: []Sight{saved("v", fresh...), shown("a", one, one, fresh)}}},
			Job{Kind: Samples, Setup: 1, Sight: "a", Level: Full, Lamps: both}, false},
		{"and come before the second", []Setup{{ID: 1, Sights: []Sight{saved("v", fresh...), shown("a", one, one, one)}}},
			Job{Kind: Samples, Setup: 1, Sight: "v", Level: Thumb, Lamps: both}, false},
		{"four samples of a thumbnail are one step", []Setup{{ID: 1, Sights: []Sight{saved("v", layer(1, 3, 1)), shown("a", one, one, one)}}},
			Job{Kind: Samples, Setup: 1, Sight: "v", Level: Thumb, Lamps: [][32]byte{key(1)}, From: 3}, false},
		{"figures come before pictures", []Setup{{ID: 1, Figures: true, Sights: []Sight{shown("a", fresh, fresh, fresh)}}}, Job{Kind: Figures, Setup: 1}, false},
		{"an eye in motion before figures", []Setup{{ID: 1, Figures: true, Eyes: []Eye{{ID: 3}, {ID: 4, Waiting: true}}}}, Job{Kind: Motion, Setup: 1, Eye: 4}, false},
		{"of another setup too", []Setup{{ID: 1, Figures: true}, {ID: 2, Served: 9, Eyes: []Eye{{ID: 4, Waiting: true}}}}, Job{Kind: Motion, Setup: 2, Eye: 4}, false},
		{"while an eye moves nothing is begun", []Setup{{ID: 1, Sights: []Sight{shown("a", fresh, nil, nil)}, Eyes: []Eye{{ID: 4, Glancing: true}}}}, Job{}, true},
		{"but figures are", []Setup{{ID: 1, Figures: true, Eyes: []Eye{{ID: 4, Glancing: true}}}}, Job{Kind: Figures, Setup: 1}, false},
		{"the least served setup comes first", []Setup{{ID: 1, Served: 5, Sights: []Sight{shown("a", fresh, nil, nil)}}, {ID: 2, Served: 4, Sights: []Sight{shown("b", fresh, nil, nil)}}},
			Job{Kind: Samples, Setup: 2, Sight: "b", Level: Coarse, Lamps: both}, false},
		{"but coarse pictures of another before fine ones", []Setup{{ID: 1, Sights: []Sight{shown("a", one, one, fresh)}}, {ID: 2, Served: 4, Sights: []Sight{shown("b", fresh, nil, nil)}}},
			Job{Kind: Samples, Setup: 2, Sight: "b", Level: Coarse, Lamps: both}, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, restless := Next(c.in)
			require.Equal(t, c.want, got)
			require.Equal(t, c.restless, restless)
		})
	}
}

func TestLetGo(t *testing.T) {
	for _, c := range []struct {
		name   string
		in     []Held
		budget int
		want   []Drop
	}{
		{"within the budget all stays", []Held{{Setup: 1, Sight: "a", Bytes: 40}, {Setup: 2, Sight: "b", Bytes: 60}}, 100, nil},
		{"over it the longest not shown goes, of whichever setup", []Held{{Setup: 1, Sight: "a", Bytes: 40, Used: 2}, {Setup: 2, Sight: "b", Bytes: 61, Used: 1}}, 100, []Drop{{2, "b"}}},
		{"what a window shows stays", []Held{{Setup: 1, Sight: "a", Bytes: 400, Used: 1, Kept: true}, {Setup: 1, Sight: "b", Bytes: 1, Used: 2}}, 100, []Drop{{1, "b"}}},
		{"no more than needs be", []Held{{Setup: 1, Sight: "a", Bytes: 50, Used: 1}, {Setup: 1, Sight: "b", Bytes: 50, Used: 2}, {Setup: 1, Sight: "c", Bytes: 50, Used: 3}}, 100, []Drop{{1, "a"}}},
		{"a saved view's thumbnail stays", []Held{{Setup: 1, Sight: "a", Saved: true, Thumb: 200, Used: 1}, {Setup: 1, Sight: "b", Saved: true, Bytes: 5, Thumb: 1, Used: 2}}, 100, []Drop{{1, "b"}}},
	} {
		t.Run(c.name, func(t *testing.T) { require.Equal(t, c.want, LetGo(c.in, c.budget)) })
	}
	var many []Held
	for i := range MaxPassing + 3 {
		many = append(many, Held{Setup: 1, Sight: string(rune('a' + i)), Used: int64(i)})
	}
	many = append(many, Held{Setup: 2, Sight: "other"}, Held{Setup: 1, Sight: "saved", Saved: true})
	require.Equal(t, []Drop{{1, "a"}, {1, "b"}, {1, "c"}}, LetGo(many, 1000))
}

// A finished picture that is shown otherwise than when it was measured is measured again,
// after all samples; not one that is not finished.
func TestWhatIsToldIsMeasuredAgain(t *testing.T) {
	done := []Layer{layer(1, 128, 128)}
	s := shown("a", []Layer{layer(1, 1, 1)}, []Layer{layer(1, 1, 1)}, done)
	j, _ := Next([]Setup{{ID: 1, Sights: []Sight{s}}})
	require.Equal(t, Idle, j.Kind)
	s.Frames[Full].Stale = true
	j, _ = Next([]Setup{{ID: 1, Sights: []Sight{s}}})
	require.Equal(t, Job{Kind: Measure, Setup: 1, Sight: "a", Level: Full}, j)
	s.Frames[Full].Layers = []Layer{layer(1, 64, 64)}
	j, _ = Next([]Setup{{ID: 1, Sights: []Sight{s}}})
	require.Equal(t, Samples, j.Kind)
}
