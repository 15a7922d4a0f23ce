// Package people lets persons in: sign-in with throttling, invitations and
// forgotten passwords by one-time link, and the audit of all of it.
package people

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"net/mail"
	"slices"
	"strings"
	"time"

	"github.com/alexedwards/argon2id"

	"diligentledger/core/access"
	"diligentledger/internal/store"
)

// Outbox sends mail.
type Outbox interface {
	Send(ctx context.Context, to, subject, text string) error
}

// Config of the service. Every field is needed unless it says otherwise.
type Config struct {
	Store  *store.Store
	Outbox Outbox
	// Address is where the application is open, for links in mail, such as
	// http://127.0.0.1:8080.
	Address string
	Now     func() time.Time
	// Memory in KiB that a password's hash takes; 64 MiB when zero (RFC 9106
	// section 4, second recommendation, recalled from memory).
	Memory uint32
}

// Service is safe for concurrent use.
type Service struct {
	Config
	params *argon2id.Params
	// dummy is compared against when there is no such account, so that the time
	// taken tells nothing.
	dummy string
	// hashing holds one token for each hash that is being reckoned.
	hashing chan struct{}
}

// hashedAtOnce bounds the memory that sign-ins take.
const hashedAtOnce = 4

// New service.
func New(cfg Config) (*Service, error) {
	if cfg.Memory == 0 {
		cfg.Memory = 64 << 10
	}
	s := &Service{Config: cfg, hashing: make(chan struct{}, hashedAtOnce), params: &argon2id.Params{Memory: cfg.Memory, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}}
	var err error
	s.dummy, err = argon2id.CreateHash(secret(), s.params)
	return s, err
}

// How long things last.
const (
	InvitationLasts = 7 * 24 * time.Hour
	ResetLasts      = 2 * time.Hour
)

// Throttling: so many failures are free, then each one doubles the wait (common
// practice; NIST SP 800-63B section 5.2.2 asks for a limit, recalled from
// memory). A day without failures forgives all.
const (
	freeOfAccount = 5
	freeOfAddress = 20
	firstWait     = 30 * time.Second
	longestWait   = 15 * time.Minute
	forgiven      = 24 * time.Hour
)

// Wait says that the next try counts only after a while.
type Wait struct{ Until, Now time.Time }

// For is how long, rounded up to a second.
func (w *Wait) For() time.Duration {
	return w.Until.Sub(w.Now).Truncate(time.Second) + time.Second
}

func (w *Wait) Error() string {
	d := w.For()
	text := fmt.Sprintf("%d s", int(d.Seconds())%60)
	if d >= time.Minute {
		text = fmt.Sprintf("%d min %s", int(d.Minutes()), text)
	}
	return "too many wrong tries; the next one counts in " + text
}

// ErrWrong says that address and password do not belong together.
var ErrWrong = errors.New("address and password do not belong together, or the account is closed; a forgotten password is replaced by a link in the mail")

// BadField is something typed that cannot be taken.
type BadField struct{ Field, Got, Accepted string }

func (b *BadField) Error() string {
	return b.Field + ": " + b.Got + " is not accepted; accepted: " + b.Accepted
}

// SignIn checks a password. from is the network address. It returns a [Wait]
// when too many tries failed, and [ErrWrong].
func (s *Service) SignIn(ctx context.Context, email, password, from string) (store.Person, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	account, address := "account "+email, "address "+from
	// Each try counts as failed before it is looked at, so that many at once are
	// not many more; the right password takes it back.
	for who, free := range map[string]int{account: freeOfAccount, address: freeOfAddress} {
		if err := s.count(ctx, who, free); err != nil {
			if wait := (*Wait)(nil); errors.As(err, &wait) {
				err = errors.Join(err, s.audit(ctx, email, from, "sign_in_throttled", ""))
			}
			return store.Person{}, err
		}
	}
	p, err := s.Store.PersonByEmail(ctx, email)
	hash := p.Password
	switch {
	case errors.Is(err, store.ErrNoPerson) || err == nil && (hash == "" || !p.Active):
		hash = s.dummy
	case err != nil:
		return p, err
	}
	match, err := s.compare(ctx, password, hash)
	if err != nil {
		return p, err
	}
	if !match || hash == s.dummy {
		return store.Person{}, errors.Join(ErrWrong, s.audit(ctx, email, from, "sign_in_failed", ""))
	}
	back := func(t store.Throttle) (store.Throttle, error) {
		t.Failures--
		t.Until = t.Last
		return t, nil
	}
	return p, errors.Join(s.Store.Forgive(ctx, account), s.Store.Throttle(ctx, address, back),
		s.Store.SweepSessions(ctx), s.audit(ctx, p.Name, from, "signed_in", ""))
}

// count a try of who, or a [Wait] when the next one does not count yet.
func (s *Service) count(ctx context.Context, who string, free int) error {
	now := s.Now()
	return s.Store.Throttle(ctx, who, func(t store.Throttle) (store.Throttle, error) {
		if t.Until.After(now) {
			return t, &Wait{t.Until, now}
		}
		return worse(t, free, now), nil
	})
}

// compare a password with a hash, a few at a time: each takes much memory.
func (s *Service) compare(ctx context.Context, password, hash string) (bool, error) {
	select {
	case s.hashing <- struct{}{}:
		defer func() { <-s.hashing }()
	case <-ctx.Done():
		return false, ctx.Err()
	}
	return argon2id.ComparePasswordAndHash(password, hash)
}

// worse is the throttle after one more failure.
func worse(t store.Throttle, free int, now time.Time) store.Throttle {
	if now.Sub(t.Last) > forgiven {
		t.Failures = 0
	}
	t.Failures++
	t.Last = now
	if over := t.Failures - free; over >= 0 {
		t.Until = now.Add(min(firstWait<<min(over, 10), longestWait))
	}
	return t
}

// Invite writes somebody into the register and mails them a link.
func (s *Service) Invite(ctx context.Context, by store.Person, from, name, email string, role access.Role) (store.Person, error) {
	name, email, err := s.checkPerson(name, email)
	if err != nil {
		return store.Person{}, err
	}
	if !slices.Contains(access.Roles, role) {
		return store.Person{}, &BadField{"role", string(role), "coordinator, technician, signatory, reader"}
	}
	p := store.Person{Name: name, Email: email, Role: role, Active: true, Epoch: 1}
	line := store.Audited{Who: by.Name, Address: from, What: "invited", Detail: name + " <" + email + "> as " + string(role)}
	if p.ID, err = s.Store.AddPerson(ctx, p, line); err != nil {
		return p, alreadyTaken(err, name, email)
	}
	return p, s.SendInvitation(ctx, p)
}

func (s *Service) checkPerson(name, email string) (string, string, error) {
	name, email = strings.Join(strings.Fields(name), " "), strings.ToLower(strings.TrimSpace(email))
	if n := len([]rune(name)); n < 2 || n > 120 {
		return name, email, &BadField{"name", fmt.Sprintf("%q", name), "a name of 2 to 120 characters"}
	}
	if a, err := mail.ParseAddress(email); err != nil || a.Address != email || len(email) > 190 {
		return name, email, &BadField{"email", fmt.Sprintf("%q", email), "an e-mail address such as a.brook@example.org"}
	}
	return name, email, nil
}

func alreadyTaken(err error, name, email string) error {
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	if strings.Contains(err.Error(), "person_name") {
		return &BadField{"name", name + ", which is somebody's already,", "a name of their own: the books name their writers by it"}
	}
	return &BadField{"email", email + ", which is somebody's already,", "another address"}
}

// SendInvitation mails p a link to choose a password.
func (s *Service) SendInvitation(ctx context.Context, p store.Person) error {
	address, err := s.link(ctx, p, store.Invitation, InvitationLasts)
	if err != nil {
		return err
	}
	return s.Outbox.Send(ctx, p.Email, "Your account in Diligent Ledger", fmt.Sprintf(
		"%s,\n\nan account as %s was opened for you. Choose a password within seven days:\n\n%s\n\nThe link works once. If you did not expect it, do nothing.",
		p.Name, p.Role, address))
}

// Forgot mails a link to the person of that address, if there is one. Whoever
// asks is not told which.
func (s *Service) Forgot(ctx context.Context, email, from string) error {
	email = strings.ToLower(strings.TrimSpace(email))
	if err := s.count(ctx, "forgot "+from, freeOfAccount); err != nil {
		return err
	}
	if err := s.audit(ctx, email, from, "password_forgotten", ""); err != nil {
		return err
	}
	p, err := s.Store.PersonByEmail(ctx, email)
	if errors.Is(err, store.ErrNoPerson) || err == nil && !p.Active {
		return nil
	}
	if err != nil {
		return err
	}
	address, err := s.link(ctx, p, store.Reset, ResetLasts)
	if err != nil {
		return err
	}
	return s.Outbox.Send(ctx, p.Email, "A new password for Diligent Ledger", fmt.Sprintf(
		"%s,\n\nsomebody asked for a new password for you. Choose one within two hours:\n\n%s\n\nThe link works once. If it was not you, do nothing: the old password stays.",
		p.Name, address))
}

// First makes a link for the first coordinator when nobody can sign in as one
// yet; empty when somebody can. An earlier link stops working.
func (s *Service) First(ctx context.Context) (string, error) {
	all, err := s.Store.People(ctx)
	if err != nil {
		return "", err
	}
	var first *store.Person
	for _, p := range all {
		if p.Role == access.Coordinator && p.Active && p.Password != "" {
			return "", nil
		}
		if p.Email == firstEmail {
			first = &p
		}
	}
	if first == nil {
		first = &store.Person{Name: "First coordinator", Email: firstEmail, Role: access.Coordinator}
		if first.ID, err = s.Store.AddPerson(ctx, *first); err != nil {
			return "", err
		}
	}
	return s.link(ctx, *first, store.First, InvitationLasts)
}

// firstEmail stands until the first coordinator tells theirs.
const firstEmail = "first@localhost"

func (s *Service) link(ctx context.Context, p store.Person, purpose string, lasts time.Duration) (string, error) {
	token := secret()
	err := s.Store.AddLink(ctx, store.Link{Hash: sha256.Sum256([]byte(token)), Person: p.ID, Purpose: purpose, Expires: s.Now().Add(lasts)})
	return s.Address + "/link/" + token, err
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails: documented to end the program instead
	return base64.RawURLEncoding.EncodeToString(b)
}

// Linked tells whose link a token is and what for; [store.ErrNoLink].
func (s *Service) Linked(ctx context.Context, token string) (store.Person, string, error) {
	return s.Store.Linked(ctx, sha256.Sum256([]byte(token)))
}

// Choose a password by link; name and email are asked of the first coordinator
// only. A [BadField], or [store.ErrNoLink].
func (s *Service) Choose(ctx context.Context, token, password, name, email, from string) (store.Person, error) {
	p, purpose, err := s.Linked(ctx, token)
	if err != nil {
		return p, err
	}
	if purpose == store.First {
		if name, email, err = s.checkPerson(name, email); err != nil {
			return p, err
		}
		p.Name, p.Email = name, email
	}
	if bad := checkPassword(password, p); bad != nil {
		return p, bad
	}
	hash, err := s.Hash(password)
	if err != nil {
		return p, err
	}
	if p, purpose, err = s.Store.UseLink(ctx, sha256.Sum256([]byte(token)), hash, name, email); err != nil {
		return p, alreadyTaken(err, name, email)
	}
	if err := s.Store.Forgive(ctx, "account "+p.Email); err != nil {
		return p, err
	}
	return p, s.audit(ctx, p.Name, from, "password_chosen", purpose)
}

// Hash of a password by argon2id.
func (s *Service) Hash(password string) (string, error) {
	return argon2id.CreateHash(password, s.params)
}

// Length of a password in characters: length protects, composition does not
// (NIST SP 800-63B section 5.1.1, recalled from memory).
const (
	shortest = 12
	longest  = 200
)

func checkPassword(password string, p store.Person) *BadField {
	accepted := fmt.Sprintf("%d to %d characters that are not your name or address, such as four unrelated words", shortest, longest)
	runes := []rune(password)
	if len(runes) < shortest || len(runes) > longest {
		return &BadField{"password", fmt.Sprintf("one of %d characters", len(runes)), accepted}
	}
	local, _, _ := strings.Cut(p.Email, "@")
	plain := strings.ToLower(password)
	different := map[rune]bool{}
	for _, r := range plain {
		different[r] = true
	}
	for _, known := range []string{p.Name, local, "password", "123456789", "qwertyuiop"} {
		if known = strings.ToLower(known); len(known) > 3 && strings.Contains(plain, known) {
			return &BadField{"password", "one that holds " + known, accepted}
		}
	}
	if len(different) < 5 {
		return &BadField{"password", "one that repeats few characters", accepted}
	}
	return nil
}

// Set role and whether somebody may sign in. The last coordinator stays one.
func (s *Service) Set(ctx context.Context, by store.Person, from string, id int64, role *access.Role, active *bool) (store.Person, error) {
	return s.Store.SetPerson(ctx, store.By{Name: by.Name, Address: from}, id, func(p store.Person, coordinators int) (store.Person, string, error) {
		what := p.Name
		was := p.Role == access.Coordinator && p.Active
		if role != nil {
			what += fmt.Sprintf(": %s, was %s", *role, p.Role)
			p.Role = *role
		}
		if active != nil {
			what += map[bool]string{true: ": may sign in", false: ": may not sign in"}[*active]
			p.Active = *active
		}
		if was && coordinators <= 1 && (p.Role != access.Coordinator || !p.Active) {
			return p, "", &BadField{"role", p.Name + " as anything else", "a coordinator: there is no other"}
		}
		return p, what, nil
	})
}

// SignedOut writes that somebody left.
func (s *Service) SignedOut(ctx context.Context, p store.Person, from string, everywhere bool) error {
	if everywhere {
		return errors.Join(s.Store.EndSessions(ctx, p.ID), s.audit(ctx, p.Name, from, "signed_out_everywhere", ""))
	}
	return s.audit(ctx, p.Name, from, "signed_out", "")
}

func (s *Service) audit(ctx context.Context, who, from, what, detail string) error {
	return s.Store.Audit(ctx, store.Audited{Who: who, Address: from, What: what, Detail: detail})
}

// Demo account, whose password everybody may know.
type Demo struct {
	Name, Email, Password string
	Role                  access.Role
}

// AddDemo writes the demo accounts into a register that lacks them.
func (s *Service) AddDemo(ctx context.Context, all []Demo) error {
	for _, d := range all {
		if _, err := s.Store.PersonByEmail(ctx, d.Email); !errors.Is(err, store.ErrNoPerson) {
			if err != nil {
				return err
			}
			continue
		}
		hash, err := s.Hash(d.Password)
		if err != nil {
			return err
		}
		if _, err := s.Store.AddPerson(ctx, store.Person{Name: d.Name, Email: d.Email, Role: d.Role, Password: hash}); err != nil {
			return err
		}
	}
	return nil
}
