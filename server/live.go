package server

import (
	"context"
	"encoding/json"
	"errors"
	"strconv"
	"sync/atomic"
	"time"

	"github.com/gofiber/contrib/v3/websocket"
	"github.com/gofiber/fiber/v3"
	"willowherb/core/edits"
	"willowherb/core/spread"
	"willowherb/refine"
	"willowherb/room"
	"willowherb/store"
)

// heard is what a window says over its socket: one of these.
type heard struct {
	Look   *room.Gaze  `json:"look,omitempty"`
	Draft  *[]edits.Op `json:"draft,omitempty"`
	Called string      `json:"called,omitempty"`
}

const (
	// maxWindows of this server at once.
	maxWindows = 2000
	// A window that gives no sign of life for so long is gone; it is asked more often.
	silence = 60 * time.Second
	ping    = 20 * time.Second
	// perSecond messages of a window are taken; the rest waits.
	perSecond = 240
)

// live is a window's WebSocket: news to it, and how it looks from it.
func (s *Server) live() fiber.Handler {
	var open atomic.Int64
	up := websocket.New(func(conn *websocket.Conn) {
		defer open.Add(-1)
		s.window(conn)
	}, websocket.Config{Origins: []string{"*"}, HandshakeTimeout: 10 * time.Second}) // guarded has checked the origin
	return func(c fiber.Ctx) error {
		if _, _, err := own(c, c.Query("window")); err != nil {
			return err
		}
		if !websocket.IsWebSocketUpgrade(c) {
			return fiber.ErrUpgradeRequired
		}
		if open.Add(1) > maxWindows {
			open.Add(-1)
			return errBusy
		}
		if err := up(c); err != nil {
			open.Add(-1)
			return err
		}
		return nil
	}
}

// window serves a socket until the window has gone. Its writer is joined before it
// returns: the connection is somebody else's afterwards.
func (s *Server) window(conn *websocket.Conn) {
	ctx, cancel := context.WithCancel(s.ctx)
	defer cancel()
	say := func(what, remedy string) {
		_ = conn.SetWriteDeadline(time.Now().Add(5 * time.Second))
		_ = conn.WriteJSON(refine.Failed{Type: "fault", What: what, Remedy: remedy})
	}
	n, err := strconv.ParseInt(conn.Params("id"), 10, 64)
	if err != nil {
		return
	}
	r, err := s.Hall.Open(ctx, n)
	switch {
	case store.Away(err):
		_ = conn.SetWriteDeadline(time.Now().Add(5 * time.Second))
		_ = conn.WriteJSON(room.Away{Type: "away", Away: true})
		return
	case errors.Is(err, store.ErrNotFound):
		say("This setup is not here any more.", "Choose another from the list.")
		return
	case err != nil:
		say(sentence(err.Error()), "Choose another setup.")
		return
	}
	person := personOf(conn.Cookies(cookie))
	w := r.Join(person, person+"."+conn.Query("window"), clipped(conn.Query("called"), 60), clipped(conn.Query("view"), 100))
	written := make(chan struct{})
	var over atomic.Bool
	go func() {
		defer close(written)
		write(ctx, conn, w.Box)
		over.Store(true)
		_ = conn.SetReadDeadline(time.Now()) // ends the reading too
	}()
	s.listen(conn, r, w, func() {
		_ = conn.SetReadDeadline(time.Now().Add(silence))
		if over.Load() {
			_ = conn.SetReadDeadline(time.Now())
		}
	})
	cancel()
	r.Leave(w)
	<-written
}

// write sends what comes into the box, and asks now and then for a sign of life.
func write(ctx context.Context, conn *websocket.Conn, box *room.Box) {
	tick := time.NewTicker(ping)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if conn.WriteControl(websocket.PingMessage, nil, time.Now().Add(10*time.Second)) != nil {
				return
			}
		case <-box.Ready():
			texts, ok := box.Take()
			if !ok {
				return // too far behind: the window comes back for a fresh start
			}
			for _, t := range texts {
				_ = conn.SetWriteDeadline(time.Now().Add(20 * time.Second))
				if conn.WriteMessage(websocket.TextMessage, t) != nil {
					return
				}
			}
		}
	}
}

// listen takes in what a window says until it has gone; alive is called at each sign
// of life.
func (s *Server) listen(conn *websocket.Conn, r *room.Room, w *room.Window, alive func()) {
	conn.SetReadLimit(editLimit)
	conn.SetPongHandler(func(string) error { alive(); return nil })
	alive()
	second, said := time.Now(), 0
	for {
		_, text, err := conn.ReadMessage()
		if err != nil {
			return
		}
		alive()
		if said++; said > perSecond {
			if rest := time.Second - time.Since(second); rest > 0 {
				select {
				case <-s.ctx.Done():
					return
				case <-time.After(rest):
				}
			}
		}
		if time.Since(second) >= time.Second {
			second, said = time.Now(), 0
		}
		if spread.Guard(func() error { return hear(r, w, text) }) != nil {
			return
		}
	}
}

// hear takes in one message; what is none ends the window.
func hear(r *room.Room, w *room.Window, text []byte) error {
	var m heard
	if err := json.Unmarshal(text, &m); err != nil {
		return err
	}
	switch {
	case m.Look != nil:
		r.Look(w, *m.Look)
	case m.Draft != nil:
		r.Draft(w, *m.Draft)
	case m.Called != "":
		r.Call(w, clipped(m.Called, 60))
	}
	return nil
}
