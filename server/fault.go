package server

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/gofiber/fiber/v3/middleware/requestid"
	"willowherb/ask"
	"willowherb/core/edits"
	"willowherb/core/setup"
	"willowherb/format/gltf"
	"willowherb/format/ies"
	"willowherb/journal"
	"willowherb/stage"
	"willowherb/store"
)

// Fault is what a failed request answers: what is wrong, and the remedy. The status
// says whether it may be tried again: 4xx never, 429 and 503 after Retry-After.
type Fault struct {
	What   string `json:"what"`
	Remedy string `json:"remedy"`
}

// refusal is an error with its answer.
type refusal struct {
	status       int
	what, remedy string
}

func (r *refusal) Error() string { return r.what }

// wrong refuses a request that the same way will be refused again.
func wrong(format string, a ...any) error {
	return &refusal{422, sentence(fmt.Sprintf(format, a...)), "Choose a value that fits."}
}

var (
	errBusy  = &refusal{503, "The server is busy with others' questions.", "It is tried again in a moment."}
	errPanic = errors.New("panic")
)

// fault turns an error into words with a status.
func (s *Server) fault(c fiber.Ctx, err error) error {
	var fe *fiber.Error
	var ge *gltf.Error
	var ie *ies.Error
	var re *refusal
	say := func(status int, what, remedy string) error {
		if status == 503 || status == 429 {
			c.Set("Retry-After", "1")
		}
		return c.Status(status).JSON(Fault{what, remedy})
	}
	bare := func(kind error) string { return sentence(strings.ReplaceAll(err.Error(), kind.Error()+": ", "")) }
	switch {
	case errors.As(err, &re):
		return say(re.status, re.what, re.remedy)
	case store.Away(err):
		return say(503, "The database does not answer.", "Everything you do is kept in this window, and sent when it is back.")
	case errors.Is(err, context.Canceled), errors.Is(err, context.DeadlineExceeded):
		return say(503, "The request was given up.", "Try again.")
	case errors.As(err, &ie):
		return say(422, fmt.Sprintf("%s, line %d: %s.", ie.File, ie.Line, ie.What), sentence(ie.Remedy))
	case errors.As(err, &ge):
		return say(422, strings.Join(nonEmpty(ge.File, ge.Path, ge.What), ": ")+".", sentence(ge.Remedy))
	case errors.Is(err, stage.ErrPlace):
		return say(422, sentence(err.Error()), "Undo what made it so, or bring the place in again.")
	case errors.Is(err, journal.ErrMissing):
		return say(422, sentence(err.Error()), "Import it again.")
	case errors.Is(err, store.ErrNotFound):
		return say(404, "This is not here any more: "+err.Error()+".", "Choose another from the list.")
	case errors.Is(err, ask.ErrUnknown):
		return say(404, "This is not known any more: "+err.Error()+".", "Try again in a moment.")
	case errors.Is(err, journal.ErrFull):
		return say(409, sentence(err.Error()), "Take some away that are of no use any more.")
	case errors.Is(err, journal.ErrNothing):
		return say(409, "There is nothing left to take back.", "")
	case errors.Is(err, edits.ErrPlace):
		return say(409, sentence(err.Error()), "Somebody else removed it meanwhile.")
	case errors.Is(err, setup.ErrInvalid):
		return say(422, bare(setup.ErrInvalid), "Choose a value that fits.")
	case errors.Is(err, ask.ErrRig):
		return say(422, bare(ask.ErrRig), "Choose another figure or rig.")
	case errors.Is(err, ask.ErrBake):
		return say(409, bare(ask.ErrBake), "Bake, or choose otherwise.")
	case errors.Is(err, ask.ErrFinals):
		return say(422, bare(ask.ErrFinals), "Ask for them otherwise.")
	case errors.Is(err, ask.ErrBudget):
		return say(422, bare(ask.ErrBudget), "Choose a value that fits.")
	case errors.Is(err, ask.ErrWalk):
		return say(422, bare(ask.ErrWalk), "Choose other views or another time.")
	case errors.As(err, &fe):
		return say(fe.Code, sentence(fe.Message), "")
	}
	slog.Error("request failed", "path", c.Path(), "request", requestid.FromContext(c), "err", err)
	return say(500, "The server could not do this; its log has more under "+requestid.FromContext(c)+".", "Try again; if it stays so, look at the log.")
}

func nonEmpty(in ...string) (out []string) {
	for _, s := range in {
		if s != "" {
			out = append(out, s)
		}
	}
	return out
}

func sentence(s string) string {
	if s == "" {
		return ""
	}
	s = strings.ToUpper(s[:1]) + s[1:]
	if !strings.HasSuffix(s, ".") {
		s += "."
	}
	return s
}

func clipped(s string, n int) string {
	if r := []rune(s); len(r) > n {
		return string(r[:n])
	}
	return s
}
