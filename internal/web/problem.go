package web

import (
	"context"
	"database/sql/driver"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/getkin/kin-openapi/openapi3"
	"github.com/getkin/kin-openapi/openapi3filter"
	"github.com/getkin/kin-openapi/routers"
	"github.com/getkin/kin-openapi/routers/gorillamux"
	"github.com/go-sql-driver/mysql"
	"github.com/labstack/echo/v5"

	"diligentledger/api"
	"diligentledger/core/measure"
	"diligentledger/core/refusal"
	"diligentledger/internal/db"
	"diligentledger/internal/fleet"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/sums"
)

// problem is an RFC 9457 problem as an error.
type problem struct{ api.Problem }

func (p *problem) Error() string { return p.Title }

func newProblem(status int, title, detail string, fields ...api.FieldProblem) *problem {
	return &problem{api.NewProblem(status, title, detail, fields...)}
}

var overtime = newProblem(http.StatusServiceUnavailable, "Took too long", "the database ended this question because it took too long; nothing was stored; narrow it by a filter, or try again in a moment")

var noDatabase = newProblem(http.StatusServiceUnavailable, "No database", "the database does not answer; nothing was stored, try again in a moment")

var diskFull = newProblem(http.StatusInsufficientStorage, "Disk full", "the disk of the database is full; nothing was stored. What is recorded can be read; make room, then try again")

// apiPrefix is where the contract's own operations are.
const apiPrefix = "/api/v1/"

// answerError turns whatever a handler returned into a problem. What no one
// foresaw is logged and not shown.
func answerError(log *slog.Logger, room func() error, zone func(context.Context) (*time.Location, error)) echo.HTTPErrorHandler {
	fallback := echo.ProblemDetailsHTTPErrorHandler(false)
	return func(c *echo.Context, err error) {
		if begun, unwrapErr := echo.UnwrapResponse(c.Response()); unwrapErr == nil && begun.Committed {
			// Part of the answer was sent. It must not end like a complete one: the connection is closed, which the client sees as an error.
			log.Warn("answer cut off", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
			panic(http.ErrAbortHandler)
		}
		p := problemOf(err)
		if p == noDatabase && room != nil && room() != nil {
			p = diskFull // the likelier reason
		}
		if p == nil {
			var coded echo.HTTPStatusCoder
			if !errors.As(err, &coded) {
				log.Error("request failed", "method", c.Request().Method, "path", c.Request().URL.Path, "error", err)
			}
			fallback(c, err)
			return
		}
		var wait *people.Wait
		if errors.As(err, &wait) {
			c.Response().Header().Set("Retry-After", strconv.Itoa(int(wait.For().Seconds())))
		}
		var busy *people.Busy
		if errors.As(err, &busy) {
			c.Response().Header().Set("Retry-After", "3")
		}
		c.Response().Header().Set(echo.HeaderContentType, echo.MIMEApplicationProblemJSON)
		if err := c.JSON(p.Status, fit(worded(c.Request().Context(), p.Problem, zone), c.Request().ContentLength)); err != nil {
			log.Warn("answer not sent", "error", err)
		}
	}
}

// worded is a problem with its times as the person who asked writes them, in the zone of the fleet.
func worded(ctx context.Context, p api.Problem, zone func(context.Context) (*time.Location, error)) api.Problem {
	var at *time.Location // asked for once, of a text that holds a time
	in := func(t time.Time) time.Time {
		if at == nil {
			at = time.UTC
			if z, err := zone(ctx); err == nil {
				at = z
			}
		}
		return t.In(at)
	}
	r := reader(ctx)
	text := func(s *string) *string {
		if s == nil {
			return nil
		}
		said := refusal.Worded(*s, func(t time.Time) string { return r.Moment(in(t)) },
			func(t time.Time) string { return r.Date(measure.DateOf(in(t), at)) })
		return &said
	}
	p.Detail = text(p.Detail)
	if p.Errors != nil {
		fields := slices.Clone(*p.Errors)
		for i := range fields {
			fields[i].Detail, fields[i].Accepted = *text(&fields[i].Detail), text(fields[i].Accepted)
		}
		p.Errors = &fields
	}
	return p
}

func problemOf(err error) *problem {
	var p *problem
	var list *refusal.Error
	var tooLarge *http.MaxBytesError
	var coded echo.HTTPStatusCoder
	var network *net.OpError
	var wait *people.Wait
	var busy *people.Busy
	var judged *store.ForbiddenError
	var forbidden *fleet.Forbidden
	var bad *refusal.Field
	var server *mysql.MySQLError
	switch {
	case errors.As(err, &p):
		return p
	case errors.As(err, &list):
		return refused(list)
	case errors.As(err, &tooLarge), errors.As(err, &coded) && coded.StatusCode() == http.StatusRequestEntityTooLarge:
		most := int64(bodyLimit)
		if tooLarge != nil {
			most = tooLarge.Limit
		}
		return newProblem(http.StatusRequestEntityTooLarge, "Too large",
			fmt.Sprintf("the request is larger than the %d kB accepted; nothing was stored", most>>10))
	case errors.As(err, &busy):
		return newProblem(http.StatusServiceUnavailable, "One moment", busy.Error())
	case errors.As(err, &wait):
		return newProblem(http.StatusTooManyRequests, "Too many tries", wait.Error())
	case errors.As(err, &judged):
		return newProblem(http.StatusForbidden, "Not permitted", judged.Unit+": "+judged.Field.Got+"; accepted: "+judged.Field.Accepted)
	case errors.As(err, &forbidden):
		return newProblem(http.StatusForbidden, "Not permitted", forbidden.Error(), api.FieldProblemOf(forbidden.Field))
	case errors.As(err, &bad):
		return refused(&refusal.Error{Fields: []*refusal.Field{bad}})
	case errors.Is(err, people.ErrWrong):
		return newProblem(http.StatusUnauthorized, "Not signed in", people.ErrWrong.Error())
	case errors.Is(err, store.ErrNoLink):
		return newProblem(http.StatusGone, "No such link", store.ErrNoLink.Error()+"; ask for a new one")
	case errors.Is(err, store.ErrNoPerson):
		return newProblem(http.StatusNotFound, "No such person", err.Error())
	case errors.Is(err, store.ErrNoUnit):
		return newProblem(http.StatusNotFound, "No such unit", err.Error()+"; accepted: the code of a unit in the register")
	case errors.Is(err, store.ErrNoServicePlan):
		return newProblem(http.StatusNotFound, "No such service plan", err.Error()+"; accepted: a service plan of the register")
	case errors.Is(err, store.ErrServicePlanChanged):
		return newProblem(http.StatusPreconditionFailed, "Changed by another person", err.Error())
	case errors.Is(err, store.ErrNoRecord):
		return newProblem(http.StatusNotFound, "No such record", err.Error()+"; accepted: a record of the register")
	case errors.Is(err, store.ErrNoJob):
		return newProblem(http.StatusNotFound, "No such job", err.Error())
	case errors.Is(err, store.ErrJobOpen):
		return newProblem(http.StatusConflict, "A job is open on it", err.Error()+": go on with that one, or end it first")
	case errors.Is(err, store.ErrJobEnded):
		return newProblem(http.StatusConflict, "The job has ended", err.Error())
	case errors.Is(err, store.ErrEventDiffers):
		return newProblem(http.StatusConflict, "Kept with another content", err.Error())
	case errors.Is(err, store.ErrNoRound):
		return newProblem(http.StatusNotFound, "No such round", err.Error())
	case errors.Is(err, store.ErrNoAttachment):
		return newProblem(http.StatusNotFound, "No such photo", err.Error()+": it has not arrived yet, or was never sent")
	case errors.Is(err, store.ErrNoToken):
		return newProblem(http.StatusNotFound, "No such token", err.Error())
	case errors.Is(err, store.ErrNoImport):
		return newProblem(http.StatusNotFound, "No such import", err.Error())
	case errors.Is(err, store.ErrImportState):
		return newProblem(http.StatusConflict, "Not now", err.Error())
	case errors.Is(err, store.ErrRecordChanged):
		return newProblem(http.StatusPreconditionFailed, "Changed by another person", err.Error())
	case errors.Is(err, store.ErrNotUndoable):
		return newProblem(http.StatusConflict, "Cannot be undone", err.Error()+": undo that one first")
	case errors.Is(err, store.ErrNoWorkItem):
		return newProblem(http.StatusNotFound, "No such line", err.Error()+": it was removed, or closed by another person")
	case errors.Is(err, store.ErrPlanChanged):
		return newProblem(http.StatusConflict, "Changed by another person", err.Error())
	case errors.Is(err, store.ErrWeekAgreed):
		return newProblem(http.StatusConflict, "The week is agreed", err.Error())
	case errors.Is(err, store.ErrNothingToUndo), errors.Is(err, store.ErrNothingToRedo):
		return newProblem(http.StatusConflict, "Nothing to undo", err.Error())
	case errors.Is(err, store.ErrNoFeed):
		return newProblem(http.StatusNotFound, "No such calendar", err.Error()+": it was revoked, or never made")
	case errors.Is(err, store.ErrNoSite):
		return newProblem(http.StatusNotFound, "No such site", err.Error()+"; accepted: a site of the register")
	case errors.Is(err, store.ErrEntryDiffers):
		return newProblem(http.StatusConflict, "Id already used", err.Error()+"; write this one with an id of its own",
			api.FieldProblem{Pointer: "/id", Detail: "already used by an entry that says something else"})
	case errors.Is(err, store.ErrFactsChanged):
		return newProblem(http.StatusConflict, "Changed by another person", err.Error())
	case errors.Is(err, store.ErrOutcomeUnknown):
		return newProblem(http.StatusServiceUnavailable, "Not known whether recorded", "the database's answer was lost: it is not known whether this was written; sending it again is safe, it is written once")
	case errors.As(err, &coded) && coded.StatusCode() == http.StatusBadRequest:
		return newProblem(http.StatusBadRequest, "Invalid request", reason(err))
	case db.IsOvertime(err):
		return overtime
	case errors.As(err, &server) && store.DiskFull(server), errors.Is(err, syscall.ENOSPC):
		return diskFull
	case errors.Is(err, context.DeadlineExceeded), errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.As(err, &network):
		return noDatabase
	}
	return nil
}

// reason of a request that was not readable: what its innermost error says.
func reason(err error) string {
	var wrong *json.UnmarshalTypeError
	if errors.As(err, &wrong) {
		return fmt.Sprintf("%s: %s is not accepted; accepted: %s", "/"+strings.ReplaceAll(wrong.Field, ".", "/"), shortened(wrong.Value, 80), plainTypes[wrong.Type.Kind()])
	}
	for {
		inner := errors.Unwrap(err)
		if inner == nil {
			return err.Error()
		}
		err = inner
	}
}

// plainTypes say what a field takes, by how the program keeps it.
var plainTypes = map[reflect.Kind]string{
	reflect.Int: "a whole number of at most 64 bits", reflect.Int32: "a whole number of at most 32 bits", reflect.Int64: "a whole number of at most 64 bits",
	reflect.Float32: "a number", reflect.Float64: "a number", reflect.String: "text", reflect.Bool: "true or false",
	reflect.Slice: "a list", reflect.Struct: "an object", reflect.Map: "an object", reflect.Pointer: "another kind of value",
}

// refused is the problem of a refusal; 404 for a question that does not exist.
func refused(r *refusal.Error) *problem {
	status := http.StatusUnprocessableEntity
	if len(r.Fields) == 1 && r.Fields[0].Pointer == sums.QuestionPointer {
		status = http.StatusNotFound
	}
	return &problem{api.RefusedProblem(r, status)}
}

// validator holds each API request against the contract before a handler sees
// it.
func validator(contract *openapi3.T) (echo.MiddlewareFunc, error) {
	defineFormats()
	router, err := gorillamux.NewRouter(contract)
	if err != nil {
		return nil, err
	}
	for _, path := range contract.Paths.Map() {
		for _, operation := range path.Operations() {
			roles, err := rolesOf(operation)
			if err != nil {
				return nil, err
			}
			if scope := tokenOf(operation); !slices.Contains(roles, "public") && scope != neverByToken && !slices.Contains(store.Scopes, store.Scope(scope)) {
				return nil, fmt.Errorf("operation %s says for no token scope: x-token is missing", operation.OperationID)
			}
		}
	}
	// Sessions and CSRF are checked by the middleware around it.
	options := &openapi3filter.Options{MultiError: true, AuthenticationFunc: openapi3filter.NoopAuthenticationFunc}
	return func(next echo.HandlerFunc) echo.HandlerFunc {
		return func(c *echo.Context) error {
			req := c.Request()
			if !strings.HasPrefix(req.URL.Path, apiPrefix) {
				return next(c)
			}
			route, params, err := router.FindRoute(req)
			switch {
			case errors.Is(err, routers.ErrMethodNotAllowed):
				return newProblem(http.StatusMethodNotAllowed, "Method not allowed", req.Method+" is not accepted here")
			case err != nil:
				return newProblem(http.StatusNotFound, "No such address", req.URL.Path+" is not part of the API; see /api/openapi.json")
			}
			if err := allowed(route.Operation, signedIn(req.Context())); err != nil {
				return err
			}
			if scope, is := req.Context().Value(scopeKey{}).(store.Scope); is {
				if err := allowedByToken(route.Operation, scope); err != nil {
					return err
				}
			}
			if own, _ := route.Operation.Extensions["x-own-page"].(bool); own && !fromOwnPage(req) {
				return newProblem(http.StatusForbidden, "Not permitted", "this address was opened by a link of another site; accepted: the link on the page of the program")
			}
			err = openapi3filter.ValidateRequest(req.Context(), &openapi3filter.RequestValidationInput{
				Request: req, PathParams: params, Route: route, Options: options})
			if err != nil {
				return invalid(err)
			}
			return next(c)
		}
	}, nil
}

// fromOwnPage reports whether a browser says that a page of the program, or a person who typed the address, asks for it. A cookie goes
// along with a link of another site, too.
func fromOwnPage(req *http.Request) bool {
	site := req.Header.Get("Sec-Fetch-Site")
	return site == "same-origin" || site == "none"
}

// rolesOf an operation by the contract; an error when it names no one.
func rolesOf(o *openapi3.Operation) ([]string, error) {
	listed, _ := o.Extensions["x-roles"].([]any)
	var roles []string
	for _, r := range listed {
		if name, ok := r.(string); ok {
			roles = append(roles, name)
		}
	}
	if len(roles) == 0 {
		return nil, fmt.Errorf("operation %s names no role that may call it: x-roles is missing", o.OperationID)
	}
	return roles, nil
}

// allowed refuses the person who may not call the operation.
func allowed(o *openapi3.Operation, p *store.Person) error {
	roles, err := rolesOf(o)
	switch {
	case err != nil:
		return err
	case slices.Contains(roles, "public"):
		return nil
	case p == nil:
		return newProblem(http.StatusUnauthorized, "Not signed in", "sign in first")
	case p.Role != store.Gateway && slices.Contains(roles, "any"), slices.Contains(roles, string(p.Role)):
		return nil
	}
	return newProblem(http.StatusForbidden, "Not permitted", fmt.Sprintf("a %s may not do this; accepted: %s", p.Role, strings.Join(roles, ", ")))
}

const neverByToken = "never"

// tokenOf an operation by the contract: the scope that a token needs for it, or never.
func tokenOf(o *openapi3.Operation) string {
	text, _ := o.Extensions["x-token"].(string)
	return text
}

// allowedByToken refuses a token whose scope is too small, and every token where credentials, people and the whole of the books are
// at stake: what a token could make for itself would outlive it.
func allowedByToken(o *openapi3.Operation, scope store.Scope) error {
	roles, err := rolesOf(o)
	if err != nil || slices.Contains(roles, "public") {
		return err
	}
	needed := store.Scope(tokenOf(o))
	if scope.Covers(needed) {
		return nil
	}
	accepted := "a token of scope " + string(needed) + " or more"
	if !slices.Contains(store.Scopes, needed) {
		accepted = "a person who is signed in: no token may do this"
	}
	return newProblem(http.StatusForbidden, "Not permitted", fmt.Sprintf("a token of scope %s may not do this; accepted: %s", scope, accepted))
}

// invalid words what the contract found wrong.
func invalid(err error) error {
	var tooLarge *http.MaxBytesError
	var coded echo.HTTPStatusCoder
	if errors.As(err, &tooLarge) || errors.As(err, &coded) && coded.StatusCode() == http.StatusRequestEntityTooLarge {
		return err
	}
	var fields []api.FieldProblem
	status := http.StatusUnprocessableEntity
	var walk func(err error, parameter string)
	walk = func(err error, parameter string) {
		var request *openapi3filter.RequestError
		var parse *openapi3filter.ParseError
		switch e := err.(type) {
		case openapi3.MultiError:
			for _, one := range e {
				walk(one, parameter)
			}
			return
		case *openapi3.SchemaError:
			if origin := e.Origin; origin != nil {
				var many openapi3.MultiError
				if errors.As(origin, &many) { // of the parts of an entry those that it is about
					walk(many, parameter)
					return
				}
				if e.SchemaField == "allOf" {
					walk(origin, parameter)
					return
				}
			}
			fields = append(fields, schemaProblem(e, parameter))
			return
		}
		switch {
		case errors.As(err, &request):
			if request.Parameter != nil {
				parameter = request.Parameter.Name
			}
			if errors.As(request.Err, &parse) || request.Err == nil {
				if request.Parameter == nil {
					status = http.StatusBadRequest
				}
				fields = append(fields, api.FieldProblem{Pointer: parameter, Detail: request.Error()})
				return
			}
			walk(request.Err, parameter)
		default:
			fields = append(fields, api.FieldProblem{Pointer: parameter, Detail: err.Error()})
		}
	}
	walk(err, "")
	title := "Not as the contract has it"
	if status == http.StatusBadRequest {
		title = "Invalid JSON"
	}
	return newProblem(status, title, sentence(fields), fields...)
}

// typedValue as the writer sent it, shortened.
func typedValue(value any) string {
	switch v := value.(type) {
	case map[string]any:
		return "an object"
	case []any:
		return "a list"
	case string:
		return quoted(v)
	}
	return shortened(fmt.Sprint(value), 80)
}

func schemaProblem(e *openapi3.SchemaError, parameter string) api.FieldProblem {
	f := api.FieldProblem{Pointer: parameter, Detail: e.Reason}
	if path := e.JSONPointer(); len(path) > 0 {
		f.Pointer = "/" + strings.Join(path, "/")
	}
	switch e.SchemaField {
	case "enum":
		accepted := strings.Trim(fmt.Sprint(e.Schema.Enum), "[]")
		f.Detail, f.Accepted = typedValue(e.Value)+" is not accepted", &accepted
	case "oneOf", "anyOf":
		// The contract has it for numbers as they are typed alone.
		accepted := "a number, or text of one, such as 8.5"
		f.Detail, f.Accepted = typedValue(e.Value)+" is not accepted", &accepted
	case "minLength", "maxLength":
		text, _ := e.Value.(string)
		accepted := "text of any length"
		switch least, most := e.Schema.MinLength, e.Schema.MaxLength; {
		case most != nil && least > 0:
			accepted = fmt.Sprintf("%d to %d characters", least, *most)
		case most != nil:
			accepted = fmt.Sprintf("at most %d characters", *most)
		case least == 1:
			accepted = "one character or more"
		default:
			accepted = fmt.Sprintf("%d characters or more", least)
		}
		got := "nothing"
		if n := len([]rune(text)); n > 0 {
			got = fmt.Sprintf("text of %d characters", n)
		}
		f.Detail, f.Accepted = got+" is not accepted", &accepted
	default:
		switch e.Value.(type) {
		case map[string]any, []any:
		default:
			f.Detail = fmt.Sprintf("%s is not accepted: %s", typedValue(e.Value), e.Reason)
		}
	}
	return f
}
