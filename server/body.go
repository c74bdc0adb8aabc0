package server

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"
	"syscall"
	"time"

	"github.com/gofiber/fiber/v3"
	"golang.org/x/sys/unix"
)

// Limits of what a request may bring, by route.
const (
	questionLimit = 16 << 10
	editLimit     = 1 << 20
	smallFile     = 8 << 20
	importLimit   = 512 << 20
)

// stream is what a request brings, cut off at a limit. What says beforehand that it
// is larger is refused unread.
func stream(c fiber.Ctx, limit int) (io.Reader, error) {
	if c.Request().Header.ContentLength() > limit {
		return nil, tooLarge(c, limit)
	}
	r := c.Request().BodyStream()
	if r == nil {
		r = strings.NewReader(string(c.Request().Body()))
	}
	return &bounded{c: c, r: r, left: limit, limit: limit}, nil
}

type bounded struct {
	c           fiber.Ctx
	r           io.Reader
	left, limit int
}

func (b *bounded) Read(to []byte) (int, error) {
	n, err := b.r.Read(to)
	if b.left -= n; b.left < 0 {
		return 0, tooLarge(b.c, b.limit)
	}
	return n, err
}

func tooLarge(c fiber.Ctx, limit int) error {
	c.RequestCtx().Response.SetConnectionClose()
	return &refusal{413, fmt.Sprintf("That is over the %s that may be sent here.", size(limit)), "Send less at once."}
}

func size(n int) string {
	if n >= 1<<20 {
		return fmt.Sprintf("%d MB", n>>20)
	}
	return fmt.Sprintf("%d kB", n>>10)
}

// body reads what a request brings.
func body(c fiber.Ctx, limit int) ([]byte, error) {
	r, err := stream(c, limit)
	if err != nil {
		return nil, err
	}
	data, err := io.ReadAll(r)
	var re *refusal
	if err != nil && !errors.As(err, &re) {
		c.RequestCtx().Response.SetConnectionClose()
		return nil, &refusal{400, "The request did not arrive whole.", "Try again."}
	}
	return data, err
}

// decode reads a request's JSON.
func decode(c fiber.Ctx, limit int, v any) error {
	data, err := body(c, limit)
	if err != nil {
		return err
	}
	if err := json.Unmarshal(data, v); err != nil {
		return wrong("the request is no JSON that fits: %v", err)
	}
	return nil
}

// spooled reads a large file into a folder for such things; the caller closes it.
func spooled(c fiber.Ctx, limit int) (*os.File, error) {
	r, err := stream(c, limit)
	if err != nil {
		return nil, err
	}
	// A large file may take its time.
	_ = c.RequestCtx().Conn().SetReadDeadline(time.Now().Add(15 * time.Minute))
	f, err := os.CreateTemp("", "willowherb-import-*")
	if err != nil {
		return nil, errors.New("there is no room to keep the file while it comes in")
	}
	_ = os.Remove(f.Name()) // it goes with its last user
	if _, err := io.Copy(f, r); err != nil {
		f.Close()
		var re *refusal
		if errors.As(err, &re) {
			return nil, err
		}
		c.RequestCtx().Response.SetConnectionClose()
		return nil, &refusal{400, "The file did not arrive whole.", "Send it again."}
	}
	return f, nil
}

// line lets a few at a time do something dear; others wait their turn, if not too
// many do.
type line struct{ inside, waiting chan struct{} }

func newLine(inside, waiting int) line {
	return line{make(chan struct{}, inside), make(chan struct{}, waiting)}
}

// enter waits for a place, until the context ends. leave gives it back.
func (l line) enter(ctx context.Context) (leave func(), err error) {
	leave = func() { <-l.inside }
	select {
	case l.inside <- struct{}{}:
		return leave, nil
	default:
	}
	select {
	case l.waiting <- struct{}{}:
		defer func() { <-l.waiting }()
	default:
		return nil, errBusy
	}
	select {
	case l.inside <- struct{}{}:
		return leave, nil
	case <-ctx.Done():
		return nil, context.Cause(ctx)
	}
}

// lasting gives a request a context that ends when the client has gone, the answer
// is sent, or the server stops.
func (s *Server) lasting(c fiber.Ctx) error {
	ctx, cancel := context.WithCancel(s.ctx)
	defer cancel()
	c.SetContext(ctx)
	conn, ok := c.RequestCtx().Conn().(syscall.Conn)
	if !ok {
		return c.Next()
	}
	raw, err := conn.SyscallConn()
	if err != nil {
		return c.Next()
	}
	// Most answers are there before anybody has to look.
	look := time.AfterFunc(100*time.Millisecond, func() {
		for ctx.Err() == nil {
			if hungUp(raw) {
				cancel()
				return
			}
			select {
			case <-ctx.Done():
			case <-time.After(100 * time.Millisecond):
			}
		}
	})
	defer look.Stop()
	return c.Next()
}

// hungUp reports whether the other side has closed a connection, without taking
// anything from it.
func hungUp(raw syscall.RawConn) (gone bool) {
	err := raw.Control(func(fd uintptr) {
		p := []unix.PollFd{{Fd: int32(fd), Events: unix.POLLRDHUP}}
		n, err := unix.Poll(p, 0)
		gone = err == nil && n > 0 && p[0].Revents&(unix.POLLRDHUP|unix.POLLHUP|unix.POLLERR|unix.POLLNVAL) != 0
	})
	return gone || err != nil
}
