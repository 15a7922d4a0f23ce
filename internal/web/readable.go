package web

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	"golang.org/x/text/unicode/norm"

	"diligentledger/api"
)

// readable refuses a body that is not one JSON value, and texts that read as something else
// than they are; other texts are put into Unicode normalisation form C (UAX #15).
func readable(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		req := c.Request()
		kind, _, err := mime.ParseMediaType(req.Header.Get(echo.HeaderContentType))
		if !strings.HasPrefix(req.URL.Path, apiPrefix) || req.Body == nil || err != nil || kind != echo.MIMEApplicationJSON {
			return next(c)
		}
		body, err := io.ReadAll(req.Body)
		if err != nil {
			return err
		}
		if len(body) > 0 {
			value, err := oneJSON(body)
			if err != nil {
				return err
			}
			if isBatch(req) {
				req.Body = io.NopCloser(bytes.NewReader(body))
				return next(c)
			}
			var faults []api.FieldProblem
			value, changed := readTexts(value, "", &faults)
			if len(faults) > 0 {
				return newProblem(http.StatusUnprocessableEntity, "Not accepted", sentence(faults), faults...)
			}
			if changed {
				if body, err = json.Marshal(value); err != nil {
					return err
				}
			}
		}
		req.Body, req.ContentLength = io.NopCloser(bytes.NewReader(body)), int64(len(body))
		return next(c)
	}
}

// isBatch reports whether a request brings the entries of a device: each is read by itself and byte for
// byte as it was recorded, see [handlers.WriteEntries].
func isBatch(r *http.Request) bool {
	return r.Method == http.MethodPost && r.URL.Path == apiPrefix+"entries"
}

// oneJSON value, and nothing behind it; a 400 that says what and where.
func oneJSON(body []byte) (value any, err error) {
	if at := badUTF8(body); at >= 0 {
		return nil, notJSON("byte %d is not UTF-8", at+1)
	}
	d := json.NewDecoder(bytes.NewReader(body))
	d.UseNumber()
	var syntax *json.SyntaxError
	switch err := d.Decode(&value); {
	case errors.As(err, &syntax):
		return nil, notJSON("at byte %d: %s", syntax.Offset, syntax.Error())
	case errors.Is(err, io.EOF), errors.Is(err, io.ErrUnexpectedEOF):
		return nil, notJSON("it ends after %d bytes, within a value", len(body))
	case err != nil:
		return nil, notJSON("%s", err)
	}
	if rest := bytes.TrimSpace(body[d.InputOffset():]); len(rest) > 0 {
		return nil, notJSON("text after the JSON: %s; accepted: one value and nothing behind it", quoted(string(rest)))
	}
	return value, nil
}

func badUTF8(body []byte) int {
	for at := 0; at < len(body); {
		r, size := utf8.DecodeRune(body[at:])
		if r == utf8.RuneError && size == 1 {
			return at
		}
		at += size
	}
	return -1
}

func notJSON(format string, a ...any) *problem {
	return newProblem(http.StatusBadRequest, "Invalid JSON", fmt.Sprintf(format, a...))
}

// readTexts of a value: normalised, and whether anything changed; what is refused is added to
// faults.
func readTexts(value any, at string, faults *[]api.FieldProblem) (_ any, changed bool) {
	switch v := value.(type) {
	case string:
		if why := unreadable(v); why != "" {
			*faults = append(*faults, textFault(at, v, why))
			return v, false
		}
		n := norm.NFC.String(v)
		return n, n != v
	case []any:
		for i, item := range v {
			item, c := readTexts(item, at+"/"+strconv.Itoa(i), faults)
			v[i], changed = item, changed || c
		}
	case map[string]any:
		for _, name := range slices.Sorted(maps.Keys(v)) {
			if why := unreadable(name); why != "" {
				*faults = append(*faults, textFault(at, name, why))
				continue
			}
			item, c := readTexts(v[name], at+"/"+name, faults)
			v[name], changed = item, changed || c
		}
	}
	return value, changed
}

func textFault(at, text, why string) api.FieldProblem {
	accepted := "text without it"
	return api.FieldProblem{Pointer: at, Detail: quoted(text) + " is not accepted: it holds " + why, Accepted: &accepted}
}

// unreadable says what a text holds that makes it read as something else than it is: NUL,
// marks that turn the direction of the text (UAX #9: U+202A to U+202E, U+2066 to U+2069), or
// nothing that can be seen. Empty when it holds none of it.
func unreadable(text string) string {
	blank, seen := true, false
	for _, r := range text {
		switch {
		case r == 0:
			return "the character NUL"
		case r >= '\u202a' && r <= '\u202e', r >= '\u2066' && r <= '\u2069':
			return fmt.Sprintf("U+%04X, which turns the direction of the text", r)
		case unicode.IsSpace(r):
		default:
			blank, seen = false, seen || unicode.IsGraphic(r) && !invisible(r)
		}
	}
	if !seen && !blank {
		return "only characters that cannot be seen"
	}
	return ""
}

// invisible characters that count as graphic: fillers, joiners and variation selectors (Unicode
// property Default_Ignorable_Code_Point).
func invisible(r rune) bool {
	return unicode.In(r, unicode.Other_Default_Ignorable_Code_Point, unicode.Variation_Selector)
}

// quoted text as it was typed, shortened, with what cannot be seen escaped.
func quoted(text string) string { return strconv.QuoteToGraphic(shortened(text, 80)) }

// shortened to at most this number of characters.
func shortened(text string, characters int) string {
	n := 0
	for at := range text {
		if n == characters {
			return text[:at] + "…"
		}
		n++
	}
	return text
}

// sentence of all faults in one.
func sentence(faults []api.FieldProblem) string {
	all := make([]string, len(faults))
	for i, f := range faults {
		all[i] = strings.TrimPrefix(f.Pointer+": "+f.Detail, ": ")
	}
	return strings.Join(all, "; ")
}

// smallAnswer in bytes that a problem may have whatever was asked.
const smallAnswer = 4096

// fit a problem to what was asked: at most twice its bytes, or [smallAnswer]. What is left out
// is counted.
func fit(p api.Problem, asked int64) api.Problem {
	room := max(smallAnswer, int(2*asked))
	text := func(t string) string { return shortened(t, 300) }
	size := func() int {
		b, err := json.Marshal(p)
		if err != nil {
			return 0
		}
		return len(b)
	}
	if p.Errors == nil {
		if size() > room && p.Detail != nil {
			short := shortened(*p.Detail, 600)
			p.Detail = &short
		}
		return p
	}
	if size() <= room {
		return p
	}
	fields := slices.Clone(*p.Errors)
	for i, f := range fields {
		f.Pointer, f.Detail = text(f.Pointer), text(f.Detail)
		if f.Accepted != nil {
			accepted := text(*f.Accepted)
			f.Accepted = &accepted
		}
		fields[i] = f
	}
	all := len(fields)
	for {
		kept := fields
		detail := sentence(kept)
		if left := all - len(kept); left > 0 {
			detail += fmt.Sprintf("; and %d more", left)
		}
		p.Errors, p.Detail = &kept, &detail
		if size() <= room || len(fields) == 1 {
			return p
		}
		fields = fields[:min(len(fields)/2, 64)]
	}
}

// defineFormats of the contract's texts: only what the program itself can read.
func defineFormats() {
	format := func(name, accepted string, read func(string) bool) {
		openapi3.DefineStringFormatValidator(name, openapi3.NewCallbackValidator(func(s string) error {
			if read(s) {
				return nil
			}
			return errors.New("accepted: " + accepted)
		}))
	}
	format("uuid", "a UUID as 36 characters in lower case, such as 0198b2f4-6f00-7cc3-98c4-dc0c0c07398f", func(s string) bool {
		id, err := uuid.Parse(s)
		return err == nil && id.String() == s
	})
	format("date-time", "a date and time with its offset, such as 2026-03-31T09:30:00+02:00; a minute has the seconds 0 to 59", func(s string) bool {
		_, err := time.Parse(time.RFC3339, s)
		return err == nil
	})
	format("date", "a day of the calendar, such as 2026-03-31", func(s string) bool {
		_, err := time.Parse(time.DateOnly, s)
		return err == nil
	})
}
