package timings

import (
	"bytes"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"willowherb/core/device"
)

func TestWrittenIsRead(t *testing.T) {
	rows := []device.Timing{{Camera: "Hall, wide", Frame: 0, Pass: "fog", Ms: 0.125}, {Camera: "Hall, wide", Frame: 1, Pass: "post", Ms: 3}}
	var b bytes.Buffer
	require.NoError(t, Write(&b, rows))
	require.True(t, strings.HasPrefix(b.String(), "camera,frame,pass,ms\n\"Hall, wide\",0,fog,0.125\n"))
	got, err := Read("t.csv", &b, Mapping{})
	require.NoError(t, err)
	require.Equal(t, rows, got)
}

func TestOtherLayouts(t *testing.T) {
	for _, c := range []struct {
		name, text string
		m          Mapping
	}{
		{"other names, order, unit and passes", "View;Time (us);No;Marker\nHall;250;4;ShadowDepths\n", Mapping{Camera: "view", Frame: "no", Pass: "Marker", Ms: "Time (us)", Scale: 0.001, Passes: map[string]string{"ShadowDepths": "shadow maps"}}},
		{"a column a pass", "camera\tframe\tshadow maps\tnote\nHall\t4\t0.25\t\n", Mapping{Wide: true}},
		{"a byte order mark, blanks and CRLF", "\ufeffCamera, Frame, Pass, MS\r\n Hall, 4, shadow maps, 0.25\r\n\r\n", Mapping{}},
		{"a separator of its own", "camera|frame|pass|ms\nHall|4|shadow maps|0.25\n", Mapping{Separator: "|"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := Read("t.csv", strings.NewReader(c.text), c.m)
			require.NoError(t, err)
			require.Equal(t, []device.Timing{{Camera: "Hall", Frame: 4, Pass: "shadow maps", Ms: 0.25}}, got)
		})
	}
}

func TestBrokenFilesAreToldByLine(t *testing.T) {
	head := "camera,frame,pass,ms\nHall,0,fog,1\n"
	for _, c := range []struct {
		name, text, says string
		m                Mapping
	}{
		{"empty", "", "line 1", Mapping{}},
		{"no lines", "camera,frame,pass,ms\n", "no line follows", Mapping{}},
		{"a column is missing", "camera,frame,ms\n", `line 1: no timings: has no column "pass"`, Mapping{}},
		{"a column that is named is missing", head, `has no column "View"`, Mapping{Camera: "View"}},
		{"too few columns", head + "Hall,1,fog\n", "line 3: no timings: has 3 columns", Mapping{}},
		{"a word for a time", head + "Hall,1,fog,fast\n", `line 3: no timings: "fast" is no time`, Mapping{}},
		{"a comma for the point", "camera;frame;pass;ms\nHall;1;fog;1,5\n", "with a point", Mapping{}},
		{"below zero", head + "Hall,1,fog,-1\n", "line 3", Mapping{}},
		{"not a number", head + "Hall,1,fog,NaN\n", "line 3", Mapping{}},
		{"endless", head + "Hall,1,fog,1e300\n", "line 3", Mapping{}},
		{"half a frame", head + "Hall,1.5,fog,1\n", `frame "1.5"`, Mapping{}},
		{"no camera", head + ",1,fog,1\n", "names no camera", Mapping{}},
		{"no pass", head + "Hall,1, ,1\n", "names no pass", Mapping{}},
		{"a quote left open", head + "\"Hall,1,fog,1\n", "close quotes", Mapping{}},
		{"a scale of nothing", head, "scale", Mapping{Scale: -1}},
		{"no passes beside camera and frame", "camera,frame\nHall,1\n", "no column of a pass", Mapping{Wide: true}},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := Read("t.csv", strings.NewReader(c.text), c.m)
			require.ErrorIs(t, err, ErrInvalid)
			require.ErrorContains(t, err, "t.csv")
			require.ErrorContains(t, err, c.says)
		})
	}
}

func FuzzRead(f *testing.F) {
	f.Add("camera,frame,pass,ms\nHall,0,fog,1\n", false)
	f.Add("camera;frame;a;b\nHall;0;1;2\n", true)
	f.Add("\"camera\",frame,pass,ms\n\"a\nb\",1,x,1\n", false)
	f.Fuzz(func(t *testing.T, text string, wide bool) {
		rows, err := Read("f", strings.NewReader(text), Mapping{Wide: wide})
		if err != nil {
			require.ErrorIs(t, err, ErrInvalid)
			return
		}
		var b bytes.Buffer
		require.NoError(t, Write(&b, rows))
		again, err := Read("f", &b, Mapping{})
		require.NoError(t, err)
		require.Equal(t, rows, again)
	})
}
