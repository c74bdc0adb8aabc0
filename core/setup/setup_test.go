package setup_test

import (
	"fmt"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/setup"
	"willowherb/core/setup/setuptest"
)

func TestValidationNamesThePlace(t *testing.T) {
	for _, c := range []struct {
		break_ func(*setup.Setup)
		want   string
	}{
		{func(s *setup.Setup) { l := s.Lights["rim"]; l.Outer = 120; s.Lights["rim"] = l }, "/lights/rim/outer"},
		{func(s *setup.Setup) { l := s.Lights["rim"]; l.Name = "lantern "; s.Lights["rim"] = l }, "/lights/rim/name"},
		{func(s *setup.Setup) { l := s.Lights["rim"]; l.Group = "gone"; s.Lights["rim"] = l }, "group \"gone\" is not there"},
		{func(s *setup.Setup) { l := s.Lights["lantern"]; l.Output = math.NaN(); s.Lights["lantern"] = l }, "/lights/lantern/output"},
		{func(s *setup.Setup) {
			l := s.Lights["lantern"]
			l.Colour = setup.Colour{Kelvin: 10}
			s.Lights["lantern"] = l
		}, "kelvin"},
		{func(s *setup.Setup) { l := s.Lights["rim"]; l.Opening = true; s.Lights["rim"] = l }, "/lights/rim/opening"},
		{func(s *setup.Setup) { s.Curve = "wild" }, "/curve"},
		{func(s *setup.Setup) { v := s.Views["hall"]; v.Aim = [3]float64{}; s.Views["hall"] = v }, "/views/hall/aim"},
		{func(s *setup.Setup) { s.Version = 9 }, "/version"},
	} {
		s := setuptest.Sample()
		c.break_(s)
		require.ErrorContains(t, s.Validate(), c.want)
	}
	require.NoError(t, setuptest.Sample().Validate())
	_, err := setup.Parse([]byte(`{"version":1,"lightz":{}}`))
	require.ErrorContains(t, err, "lightz")
}

func TestDocumentsAreBoundedAndReadToTheEnd(t *testing.T) {
	_, err := setup.Parse(append(setuptest.Sample().JSON(), " {}"...))
	require.ErrorContains(t, err, "after its end")
	_, err = setup.Parse(make([]byte, setup.MaxBytes+1))
	require.ErrorContains(t, err, "may take")
	s := setuptest.Sample()
	for i := range setup.MaxGroups + 1 {
		s.Groups[fmt.Sprint("g", i)] = setup.Group{Name: "x"}
	}
	require.ErrorContains(t, s.Validate(), "/groups: 502 are over")
	s = setuptest.Sample()
	l := s.Lights["rim"]
	l.Role = strings.Repeat("x", 1000)
	s.Lights["rim"] = l
	require.ErrorContains(t, s.Validate(), "/lights/rim/role")
	for i := range 100 {
		s.Views[fmt.Sprint("v", i)] = setup.View{}
	}
	require.Less(t, len(s.Validate().Error()), 4000, "a refusal does not list everything")
	bare, err := setup.Parse([]byte(`{"version":1,"name":"a","target":"","curve":"plain"}`))
	require.NoError(t, err)
	require.Contains(t, string(bare.JSON()), `"objects":{}`, "every list is there")
}

func FuzzParse(f *testing.F) {
	f.Add(setuptest.Sample().JSON())
	f.Add([]byte(`{"version":1,"lights":{"a":null},"place":{}}`))
	f.Fuzz(func(t *testing.T, data []byte) {
		s, err := setup.Parse(data)
		if err != nil {
			return
		}
		again, err := setup.Parse(s.JSON())
		require.NoError(t, err)
		require.Equal(t, string(s.JSON()), string(again.JSON()))
	})
}
