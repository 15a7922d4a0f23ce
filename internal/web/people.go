package web

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"time"

	"github.com/alexedwards/scs/mysqlstore"
	"github.com/alexedwards/scs/v2"
	"github.com/labstack/echo/v5"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/core/measure"
	"diligentledger/internal/fleet"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// Names of what a session holds.
const (
	sessionPerson = "person"
	sessionEpoch  = "epoch"
)

// sessionLasts a working day with its overtime.
const sessionLasts = 12 * time.Hour

func newSessions(st *store.Store) *scs.SessionManager {
	s := scs.New()
	s.Store = boundedStore{mysqlstore.NewWithCleanupInterval(st.Sessions(), 0)}
	s.Lifetime = sessionLasts
	s.HashTokenInStore = true
	s.Cookie.Name, s.Cookie.Path = sessionCookie, "/"
	s.Cookie.HttpOnly, s.Cookie.Secure, s.Cookie.SameSite = true, true, http.SameSiteLaxMode
	s.ErrorFunc = func(w http.ResponseWriter, _ *http.Request, _ error) {
		w.Header().Set("Content-Type", echo.MIMEApplicationProblemJSON)
		w.WriteHeader(http.StatusServiceUnavailable)
		_ = json.NewEncoder(w).Encode(noDatabase.Problem) // to a client that may have gone
	}
	return s
}

// withSession loads the session for what belongs to the API; files and health
// need none, and no database.
func (h handlers) withSession(next echo.HandlerFunc) echo.HandlerFunc {
	loaded := echo.WrapMiddleware(h.sessions.LoadAndSave)(h.who(next))
	return func(c *echo.Context) error {
		if !strings.HasPrefix(c.Request().URL.Path, apiPrefix) {
			return next(c)
		}
		return loaded(c)
	}
}

// personKey and addressKey find in a request's context who asks, and from where.
type (
	personKey  struct{}
	addressKey struct{}
)

// devices are the request's device cookies, and how a new one is given.
type devices struct {
	cookies []string
	keep    func(*http.Cookie)
}

type devicesKey struct{}

const (
	// sessionCookie holds the token of a session.
	sessionCookie = "session"
	// deviceCookie and a person's id name the cookie: several people sign in from one device,
	// and each stays known on it.
	deviceCookie = "device_"
	// deviceLasts without signing in again.
	deviceLasts = 365 * 24 * time.Hour
	// mostDevices cookies of a request are read.
	mostDevices = 100
)

func devicesOf(ctx context.Context) []string {
	d, _ := ctx.Value(devicesKey{}).(devices)
	return d.cookies
}

func keepDevice(ctx context.Context, person int64, cookie string) {
	if d, ok := ctx.Value(devicesKey{}).(devices); ok && cookie != "" {
		d.keep(&http.Cookie{Name: deviceCookie + strconv.FormatInt(person, 10), Value: cookie, Path: apiPrefix, MaxAge: int(deviceLasts.Seconds()), HttpOnly: true, Secure: true, SameSite: http.SameSiteLaxMode})
	}
}

// signedIn is who asks; nil for no one.
func signedIn(ctx context.Context) *store.Person {
	p, _ := ctx.Value(personKey{}).(*store.Person)
	return p
}

func address(ctx context.Context) string {
	a, _ := ctx.Value(addressKey{}).(string)
	return a
}

func writer(ctx context.Context) fleet.Actor {
	if p := signedIn(ctx); p != nil {
		token, _ := ctx.Value(tokenKey{}).(int64)
		return fleet.Actor{ID: p.ID, Name: p.Name, Role: p.Role, Token: token}
	}
	return fleet.Actor{}
}

// reader is the person who asks, with the units and dates that they chose.
func reader(ctx context.Context) words.Reader {
	if p := signedIn(ctx); p != nil {
		return p.Reader
	}
	return words.Metric
}

// bearer token of a request of the API. It takes the place of the session: cookies are not looked at.
func bearer(c *echo.Context) (secret string, ok bool) {
	secret, ok = strings.CutPrefix(c.Request().Header.Get(echo.HeaderAuthorization), "Bearer ")
	return secret, ok && strings.HasPrefix(c.Request().URL.Path, apiPrefix)
}

// tokenKey of the id of the token that a request came with.
type tokenKey struct{}

// scopeKey of what the token may do.
type scopeKey struct{}

// who puts the person of the session into the request's context.
func (h handlers) who(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		req := c.Request()
		ctx := context.WithValue(req.Context(), addressKey{}, c.RealIP())
		device := devices{keep: c.SetCookie}
		for _, cookie := range req.Cookies() {
			if strings.HasPrefix(cookie.Name, deviceCookie) && len(device.cookies) < mostDevices {
				device.cookies = append(device.cookies, cookie.Value)
			}
		}
		ctx = context.WithValue(ctx, devicesKey{}, device)
		if secret, ok := bearer(c); ok {
			p, token, err := h.people.Store.TokenHolder(ctx, secret)
			if errors.Is(err, store.ErrNoToken) {
				return newProblem(http.StatusUnauthorized, "Not signed in", err.Error())
			}
			if err != nil {
				return err
			}
			ctx = context.WithValue(context.WithValue(context.WithValue(ctx, personKey{}, &p), tokenKey{}, token.ID), scopeKey{}, token.Scope)
		} else if id := h.sessions.GetInt64(ctx, sessionPerson); id != 0 {
			p, err := h.people.Store.Person(ctx, id)
			if err != nil && !errors.Is(err, store.ErrNoPerson) {
				return err
			}
			// The epoch has risen when the sessions of the person were ended.
			if err == nil && p.Active && p.Epoch == h.sessions.GetInt64(ctx, sessionEpoch) {
				ctx = context.WithValue(ctx, personKey{}, &p)
			}
		}
		c.SetRequest(req.WithContext(ctx))
		return next(c)
	}
}

// begin a session under a new name, so that one planted before is worth nothing.
func (h handlers) begin(ctx context.Context, p store.Person) (api.Session, error) {
	if err := h.sessions.RenewToken(ctx); err != nil {
		return api.Session{}, err
	}
	h.sessions.Put(ctx, sessionPerson, p.ID)
	h.sessions.Put(ctx, sessionEpoch, p.Epoch)
	return h.session(&p), nil
}

func (h handlers) session(p *store.Person) api.Session {
	s := api.Session{Demo: h.demo}
	if s.Demo == nil {
		s.Demo = []api.DemoAccount{}
	}
	if p != nil {
		s.Person = &api.SignedIn{Name: p.Name, Email: p.Email, Role: api.Role(p.Role), Reading: readingSettings(p.Reader)}
	}
	return s
}

func readingSettings(r words.Reader) api.ReadingSettings {
	if r == (words.Reader{}) {
		r = words.Metric // a person who came in by a link a moment ago
	}
	numbers := api.ReadingSettingsNumbersEither
	if r.Numbers.Known() {
		numbers = api.ReadingSettingsNumbers(r.Numbers)
	}
	return api.ReadingSettings{Temperature: api.ReadingSettingsTemperature(r.Temperature), Volume: api.ReadingSettingsVolume(r.Volume),
		Pressure: api.ReadingSettingsPressure(r.Pressure), Distance: api.ReadingSettingsDistance(r.Distance), Dates: api.ReadingSettingsDates(r.Dates),
		Numbers: &numbers}
}

func readerOf(s api.ReadingSettings) words.Reader {
	return words.Reader{Temperature: measure.Unit(s.Temperature), Volume: measure.Unit(s.Volume), Pressure: measure.Unit(s.Pressure),
		Distance: measure.Unit(s.Distance), Dates: words.DateStyle(s.Dates), Numbers: numberFormat(s.Numbers)}
}

// numberFormat of a setting; a program that does not know of it has chosen none.
func numberFormat(s *api.ReadingSettingsNumbers) measure.NumberFormat {
	if s == nil || *s == api.ReadingSettingsNumbersEither {
		return measure.EitherMark
	}
	return measure.NumberFormat(*s)
}

// ChangeReading sets the units and the dates in which the person who asks reads. The contract
// has the choices.
func (h handlers) ChangeReading(ctx context.Context, r api.ChangeReadingRequestObject) (api.ChangeReadingResponseObject, error) {
	p := *signedIn(ctx)
	if p.ID == 0 {
		return nil, newProblem(http.StatusForbidden, "Not permitted", "a token has no units and dates of its own")
	}
	p.Reader = readerOf(*r.Body)
	if err := h.people.SetReader(ctx, p); err != nil {
		return nil, err
	}
	return api.ChangeReading200JSONResponse(h.session(&p)), nil
}

// GetSealKey gives the key under which the devices of this person seal what they have not sent.
func (h handlers) GetSealKey(ctx context.Context, _ api.GetSealKeyRequestObject) (api.GetSealKeyResponseObject, error) {
	p := signedIn(ctx)
	if p.ID == 0 {
		return nil, newProblem(http.StatusForbidden, "Not permitted", "a token has no device and no key for it")
	}
	key, err := h.people.SealKey(p.ID)
	if err != nil {
		return nil, err
	}
	return api.GetSealKey200JSONResponse{Key: base64.StdEncoding.EncodeToString(key)}, nil
}

// GetSession gives who is signed in.
func (h handlers) GetSession(ctx context.Context, _ api.GetSessionRequestObject) (api.GetSessionResponseObject, error) {
	return api.GetSession200JSONResponse(h.session(signedIn(ctx))), nil
}

// SignIn begins a session.
func (h handlers) SignIn(ctx context.Context, r api.SignInRequestObject) (api.SignInResponseObject, error) {
	p, device, err := h.people.SignIn(ctx, r.Body.Email, r.Body.Password, address(ctx), devicesOf(ctx))
	if err != nil {
		return nil, err
	}
	keepDevice(ctx, p.ID, device)
	s, err := h.begin(ctx, p)
	return api.SignIn200JSONResponse(s), err
}

// SignOut ends this session, or all.
func (h handlers) SignOut(ctx context.Context, r api.SignOutRequestObject) (api.SignOutResponseObject, error) {
	everywhere := r.Params.Everywhere != nil && *r.Params.Everywhere
	if err := h.people.SignedOut(ctx, *signedIn(ctx), address(ctx), everywhere); err != nil {
		return nil, err
	}
	return api.SignOut204Response{}, h.sessions.Destroy(ctx)
}

// RequestPasswordReset mails a link.
func (h handlers) RequestPasswordReset(ctx context.Context, r api.RequestPasswordResetRequestObject) (api.RequestPasswordResetResponseObject, error) {
	return api.RequestPasswordReset202Response{}, h.people.RequestReset(ctx, r.Body.Email, address(ctx))
}

// GetLink gives whose link it is.
func (h handlers) GetLink(ctx context.Context, r api.GetLinkRequestObject) (api.GetLinkResponseObject, error) {
	p, purpose, err := h.people.Linked(ctx, r.Token)
	if err != nil {
		return nil, err
	}
	return api.GetLink200JSONResponse{Name: p.Name, Email: p.Email, Purpose: api.OneTimeLinkPurpose(purpose)}, nil
}

// UseLink sets a password and signs in.
func (h handlers) UseLink(ctx context.Context, r api.UseLinkRequestObject) (api.UseLinkResponseObject, error) {
	text := func(s *string) string {
		if s == nil {
			return ""
		}
		return *s
	}
	p, err := h.people.SetPassword(ctx, r.Token, r.Body.Password, text(r.Body.Name), text(r.Body.Email), address(ctx))
	if err != nil {
		return nil, err
	}
	s, err := h.begin(ctx, p)
	return api.UseLink200JSONResponse(s), err
}

func person(p store.Person) api.Person {
	return api.Person{Id: p.ID, Name: p.Name, Email: p.Email, Role: api.Role(p.Role), Active: p.Active, Invited: p.Password == ""}
}

// ListPeople by name.
func (h handlers) ListPeople(ctx context.Context, _ api.ListPeopleRequestObject) (api.ListPeopleResponseObject, error) {
	all, err := h.people.Store.People(ctx)
	return api.ListPeople200JSONResponse(each(all, person)), err
}

// InvitePerson by mail.
func (h handlers) InvitePerson(ctx context.Context, r api.InvitePersonRequestObject) (api.InvitePersonResponseObject, error) {
	p, err := h.people.Invite(ctx, *signedIn(ctx), address(ctx), r.Body.Name, r.Body.Email, access.Role(r.Body.Role), r.Body.Confirmed != nil && *r.Body.Confirmed)
	if err != nil {
		return nil, err
	}
	return api.InvitePerson201JSONResponse(person(p)), nil
}

// InviteAgain mails a new link.
func (h handlers) InviteAgain(ctx context.Context, r api.InviteAgainRequestObject) (api.InviteAgainResponseObject, error) {
	return api.InviteAgain202Response{}, h.people.InviteAgain(ctx, *signedIn(ctx), address(ctx), r.Id)
}

// ChangePerson sets name, role, address and access.
func (h handlers) ChangePerson(ctx context.Context, r api.ChangePersonRequestObject) (api.ChangePersonResponseObject, error) {
	p, err := h.people.ChangePerson(ctx, *signedIn(ctx), address(ctx), r.Id, people.Change{Role: (*access.Role)(r.Body.Role), Active: r.Body.Active, Name: r.Body.Name, Email: r.Body.Email})
	if err != nil {
		return nil, err
	}
	return api.ChangePerson200JSONResponse(person(p)), nil
}

// ListAudit the newest first.
func (h handlers) ListAudit(ctx context.Context, r api.ListAuditRequestObject) (api.ListAuditResponseObject, error) {
	p := r.Params
	lines, err := h.fleet.Audit(ctx, store.AuditFilter{Before: orElse(p.Before, 0), Who: text(p.Who), What: text(p.What), Limit: orElse(p.Limit, 100)}, dateOf(p.From), dateOf(p.To))
	return api.ListAudit200JSONResponse(each(lines, func(a store.Audited) api.AuditLine {
		return api.AuditLine{Id: a.ID, At: a.At, Who: a.Who, Address: a.Address, What: a.What, Text: words.Audited(a.What), Detail: a.Detail}
	})), err
}

// demoAccounts as the contract has them.
func demoAccounts(all []people.Demo) []api.DemoAccount {
	return each(all, func(d people.Demo) api.DemoAccount {
		return api.DemoAccount{Name: d.Name, Email: d.Email, Role: api.Role(d.Role), Password: d.Password}
	})
}
