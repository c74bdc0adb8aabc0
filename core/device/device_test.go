package device

import (
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/target"
	"willowherb/core/work"
)

func frame(t *target.Target) *work.Done {
	d := &work.Done{}
	d.Own[target.Frames], d.Own[target.Pixels], d.Own[target.Fragments] = 1, float64(t.How.Width*t.How.Height), 3e6
	return d
}

func TestSameSeedSameTimings(t *testing.T) {
	c, _ := target.Find("console-60")
	a, b := New(&c, 7).Capture("Hall", 30, frame(&c)), New(&c, 7).Capture("Hall", 30, frame(&c))
	require.Equal(t, a, b)
	require.NotEqual(t, a, New(&c, 8).Capture("Hall", 30, frame(&c)))
	require.NotEqual(t, a[0].Ms, New(&c, 7).Capture("Keeper", 30, frame(&c))[0].Ms, "noise of its own")
	require.Len(t, a, 30*len(c.Passes))
}

// Without the frames in which the clock is slow, a pass takes what its hidden coefficients say.
func TestTimingsAreWhatIsHidden(t *testing.T) {
	c, _ := target.Find("console-60")
	d := New(&c, 5)
	f := frame(&c)
	want := (f.Own[target.Frames]*d.Hidden(0, 0) + f.Own[target.Fragments]*d.Hidden(0, 3)) / 1e6
	near, slow := 0, 0
	for _, x := range d.Capture("Hall", 400, f) {
		if x.Pass == "surfaces" {
			switch k := x.Ms / want; {
			case k > 0.94 && k < 1.06:
				near++
			case k > 1.08:
				slow++
			default:
				t.Errorf("a frame takes %g of what it should", k)
			}
		}
	}
	require.Greater(t, near, 250)
	require.Greater(t, slow, 20, "its clock slows down")
	strays := 0
	for i := range c.Passes {
		for k, m := range c.Passes[i].Terms {
			require.InDelta(t, 1, d.Hidden(i, k)/m.Ns, 1)
			if r := d.Hidden(i, k) / m.Ns; r < 0.9 || r > 1.1 {
				strays++
			}
		}
	}
	require.Greater(t, strays, 15, "its coefficients are its own")
}
