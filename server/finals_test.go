package server

import (
	"archive/zip"
	"bytes"
	"context"
	"image/png"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/edits"
	"willowherb/core/finals"
	"willowherb/farm"
)

// Final frames are asked for, made, fetched one by one and together, and removed.
func TestFinalFramesOverTheWire(t *testing.T) {
	s := serve(t)
	imported(t, s)
	works(t, s)
	var st ask.FinalState
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/finals", nil, &st))
	require.Empty(t, st.Orders)
	var f Fault
	o := finals.Order{Views: []string{"gone"}, Width: 32, Height: 24, Samples: 2, Passes: 2}
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/finals", o, &f))
	require.Contains(t, f.What, `View "gone" is not there`)
	zoned := EditAsk{Window: "w", Seq: 1, Label: "By zones", Ops: []edits.Op{{Op: "add", Path: "/views/down/zoned", Value: []byte("true")}}}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", zoned, nil))
	o.Views, o.Seconds, o.Rate = []string{"down"}, 1, 2
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/finals", o, &st))
	require.Len(t, st.Orders, 1)
	require.Equal(t, int64(1), st.Orders[0].Revision)
	var byZones bool
	require.NoError(t, s.DB.Pool.QueryRow(context.Background(), "SELECT (document->'views'->'down'->>'zoned')::bool FROM finals").Scan(&byZones))
	require.True(t, byZones, "a frame finds the grade of its zones where it is")
	require.Eventually(t, func() bool {
		return s.ask(t, "GET", "/api/setups/1/finals", nil, &st) == 200 && st.Orders[0].State == farm.Done
	}, 60*time.Second, 50*time.Millisecond)
	require.Len(t, st.Orders[0].Made, 2)
	fetch := func(path string) (int, http.Header, []byte) {
		r, err := s.app.Test(s.request(t, "GET", path, nil), fiber.TestConfig{Timeout: 0})
		require.NoError(t, err)
		defer r.Body.Close()
		data, err := io.ReadAll(r.Body)
		require.NoError(t, err)
		return r.StatusCode, r.Header, data
	}
	code, head, data := fetch("/api/setups/1/finals/1/1.png?save=1")
	require.Equal(t, 200, code)
	require.Contains(t, head.Get("Content-Disposition"), "frame-0002.png")
	im, err := png.Decode(bytes.NewReader(data))
	require.NoError(t, err)
	require.Equal(t, 32, im.Bounds().Dx())
	code, _, data = fetch("/api/setups/1/finals/1/0.exr")
	require.Equal(t, 200, code)
	require.True(t, strings.HasPrefix(string(data), "\x76\x2f\x31\x01"))
	code, _, data = fetch("/api/setups/1/finals/1/all.png")
	require.Equal(t, 200, code)
	z, err := zip.NewReader(bytes.NewReader(data), int64(len(data)))
	require.NoError(t, err)
	require.Len(t, z.File, 2)
	for _, path := range []string{"1/7.png", "1/0.tiff", "2/0.png", "1/all.tiff", "9/all.png"} {
		code, _, _ = fetch("/api/setups/1/finals/" + path)
		require.Equal(t, 404, code, path)
	}
	require.Equal(t, 422, s.ask(t, "PUT", "/api/setups/1/finals/1/pause", nil, &f))
	require.Equal(t, 422, s.ask(t, "PUT", "/api/setups/1/finals/one/pause", nil, &f))
	require.Equal(t, 200, s.ask(t, "PUT", "/api/setups/1/finals/1/remove", nil, &st))
	require.Empty(t, st.Orders)
	var q farm.Overview
	require.Equal(t, 200, s.ask(t, "GET", "/api/queue", nil, &q))
	require.Empty(t, q.Queue)
	require.Len(t, q.Workers, 1)
}
