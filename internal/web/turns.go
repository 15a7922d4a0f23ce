package web

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync/atomic"

	"github.com/labstack/echo/v5"
)

// turns lets requests that take a processor for seconds be answered one after the other: workbooks that are read and written. The
// others keep the rest of the machine.
type turns struct {
	turn   chan struct{}
	inside atomic.Int32
}

// mostFiles wait for their turn; the next one is told to come again.
const mostFiles = 8

func newTurns() *turns { return &turns{turn: make(chan struct{}, 1)} }

// take a turn; done gives it back. A problem when too many are ahead, or ctx ends first.
func (t *turns) take(ctx context.Context) (done func(), err error) {
	ahead := t.inside.Add(1) - 1
	busy := func() error {
		t.inside.Add(-1)
		return newProblem(http.StatusServiceUnavailable, "One moment", fmt.Sprintf("one moment: %d files are ahead of this one, which are read or written one after the other; nothing was stored, try again", max(1, ahead)))
	}
	if ahead >= mostFiles {
		return nil, busy()
	}
	select {
	case t.turn <- struct{}{}:
		return func() { <-t.turn; t.inside.Add(-1) }, nil
	case <-ctx.Done():
		return nil, busy()
	}
}

// isFile reports whether the request brings a whole file to be read, or asks for a workbook to be written.
func isFile(c *echo.Context) bool {
	path := c.Request().URL.Path
	return c.Request().Method == http.MethodPost && (path == apiPrefix+"imports" || path == apiPrefix+"workbook" ||
		strings.HasPrefix(path, apiPrefix+"sites/") && strings.HasSuffix(path, "/nights"))
}

// inTurn lets a request with a file wait for its turn, before anything of it is read.
func (h handlers) inTurn(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		if !isFile(c) {
			return next(c)
		}
		done, err := h.files.take(c.Request().Context())
		if err != nil {
			return err
		}
		defer done()
		return next(c)
	}
}
