package server

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"willowherb/ask"
	"willowherb/core/baking"
	"willowherb/core/edits"
	"willowherb/farm"
)

// works has a server work its queue until the test ends.
func works(t *testing.T, s *Server) {
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan struct{})
	go func() { _ = s.Farm.Work(ctx); close(ended) }()
	t.Cleanup(func() { cancel(); <-ended })
}

func TestABakeOverTheWire(t *testing.T) {
	s := serve(t)
	imported(t, s)
	works(t, s)
	var st ask.BakeState
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake", nil, &st))
	require.Nil(t, st.Bake)
	require.Contains(t, st.Qualities, "review")
	var f Fault
	require.Equal(t, 409, s.ask(t, "GET", "/api/setups/1/bake/probes", nil, &f))
	require.Contains(t, f.What, "Nothing is baked yet")
	require.Equal(t, 409, s.ask(t, "POST", "/api/setups/1/bake/lovely", nil, &f))
	require.Equal(t, 409, s.ask(t, "PUT", "/api/setups/1/bake/pause", nil, &f))
	var e baking.Estimate
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake/estimate/draft", nil, &e))
	require.Positive(t, e.Texels)
	var begun farm.Status
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/bake/draft", nil, &begun))
	require.Equal(t, "draft", begun.Quality)
	require.Eventually(t, func() bool {
		return s.ask(t, "GET", "/api/setups/1/bake", nil, &st) == 200 && st.Bake.State == farm.Done && st.Last != nil
	}, 60*time.Second, 50*time.Millisecond)
	require.Empty(t, st.Changes)
	require.Len(t, st.Last.Summary.Objects, 1)
	// A level is live; a density is not.
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", stops(1.5), nil))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake", nil, &st))
	require.Len(t, st.Changes, 1)
	require.True(t, st.Changes[0].Live)
	dense := EditAsk{Window: "w", Seq: 2, Label: "Denser", Ops: []edits.Op{{Op: "add", Path: "/bake", Value: []byte(`{"density":20,"seen":true,"page":512,"padding":2,"format":"half","skyBounces":0,"apart":2,"heights":[1,0,0]}`)}}}
	require.Equal(t, 200, s.ask(t, "POST", "/api/setups/1/edits", dense, nil))
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake", nil, &st))
	require.False(t, st.Changes[0].Live)
	dense.Seq, dense.Ops[0].Value = 3, []byte(`{"density":-1,"page":7,"padding":0,"format":"own","apart":0}`)
	require.Equal(t, 422, s.ask(t, "POST", "/api/setups/1/edits", dense, &f))
	require.Contains(t, f.What, "/bake/density")
	var at ask.BakedAt
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake/at?x=0&y=1&z=0", nil, &at))
	require.Positive(t, at.Reference[2][1])
	require.Less(t, at.Differs, 0.3)
	require.Equal(t, 422, s.ask(t, "GET", "/api/setups/1/bake/at?x=0&y=oh&z=0", nil, &f))
	var dots []ask.ProbeDot
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake/probes", nil, &dots))
	require.NotEmpty(t, dots)
	require.Equal(t, 200, s.ask(t, "GET", "/api/setups/1/bake/page/0", nil, nil))
	require.Equal(t, 404, s.ask(t, "GET", "/api/setups/1/bake/page/9", nil, &f))
	require.Equal(t, 204, s.ask(t, "GET", "/api/setups/1/bake/picture/none?show=runtime", nil, nil))
}
