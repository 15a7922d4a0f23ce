package web

import (
	"context"
	"errors"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/labstack/echo/v5"
	"github.com/labstack/echo/v5/middleware"
)

// An answer that fails after a part of it was sent is cut off, so that nobody takes the part for the whole; one that fails before is a
// problem, and the others go on.
func TestAnswerCutOff(t *testing.T) {
	e := echo.New()
	e.HTTPErrorHandler = answerError(slog.New(slog.DiscardHandler), nil, func(context.Context) (*time.Location, error) { return time.UTC, nil })
	e.Use(middleware.Recover(), middleware.Gzip())
	failing := errors.New("the database ended")
	e.GET("/part", func(c *echo.Context) error {
		c.Response().WriteHeader(http.StatusOK)
		if _, err := io.WriteString(c.Response(), strings.Repeat("a part of an archive ", 10_000)); err != nil {
			return err
		}
		return failing
	})
	e.GET("/none", func(*echo.Context) error { return failing })
	server := httptest.NewServer(e)
	defer server.Close()
	for _, encoding := range []string{"identity", "gzip"} {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, server.URL+"/part", nil)
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Accept-Encoding", encoding)
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			_, err = io.Copy(io.Discard, res.Body)
			res.Body.Close()
		}
		if err == nil {
			t.Errorf("%s: a part was taken for the whole", encoding)
		}
	}
	res, err := http.Get(server.URL + "/none")
	if err != nil || res.StatusCode != http.StatusInternalServerError {
		t.Errorf("%v %v", res, err)
	}
	if err == nil {
		res.Body.Close()
	}
}
