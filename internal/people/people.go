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
	"unicode"

	"github.com/alexedwards/argon2id"
	"github.com/mtibben/confusables"
	"github.com/trustelem/zxcvbn"

	"diligentledger/core/access"
	"diligentledger/core/refusal"
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
	// taken reports nothing.
	dummy   string
	hashing *queue
	// began anchors elapsed time: see [Service.now].
	began time.Time
	// deviceKey signs device cookies.
	deviceKey []byte
}

// New service.
func New(cfg Config) (*Service, error) {
	if cfg.Memory == 0 {
		cfg.Memory = 64 << 10
	}
	s := &Service{Config: cfg, began: cfg.Now(), hashing: newQueue(), params: &argon2id.Params{Memory: cfg.Memory, Iterations: 3, Parallelism: 4, SaltLength: 16, KeyLength: 32}}
	var err error
	s.dummy, err = argon2id.CreateHash(secret(), s.params)
	return s, err
}

// now is the time by elapsed time since the start: a clock that is set back or forward
// meanwhile moves it nowhere.
func (s *Service) now() time.Time { return s.began.Add(s.Now().Sub(s.began)) }

// How long things last.
const (
	InvitationLasts = 7 * 24 * time.Hour
	ResetLasts      = 2 * time.Hour
)

// Throttling: a number of failures are free, then each one doubles the wait (common
// practice; NIST SP 800-63B section 5.2.2 asks for a limit, recalled from
// memory). A day without failures forgives all. A device that signed in before has a counter
// of its own, so that tries from elsewhere do not lock its person out (device cookies, OWASP;
// from memory).
const (
	freeOfAccount = 5
	freeOfDevice  = 10
	freeOfAddress = 20
	freeOfMailbox = 3
	firstWait     = 30 * time.Second
	longestWait   = 15 * time.Minute
	// longestOfDevice: the right password is accepted seconds after wrong ones; 8,640
	// guesses a day are few against a password of the least score (10^8 guesses or more).
	longestOfDevice = 10 * time.Second
	forgivenAfter   = 24 * time.Hour
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

// SignIn checks a password. from is the network address, devices the cookies by which this
// device is known, one for each person who signed in from it. It returns the cookie that the
// device is to keep for this person, a [Wait] when too many tries failed, and [ErrWrong].
//
// A device that signed in with this account before is counted by itself. Any other is
// counted by its account and by its address, each for itself: a try that has to wait for the
// one is not counted against the other.
func (s *Service) SignIn(ctx context.Context, email, password, from string, devices []string) (p store.Person, cookie string, err error) {
	email = strings.ToLower(strings.TrimSpace(email))
	p, err = s.Store.PersonByEmail(ctx, email)
	hash := p.Password
	switch {
	case errors.Is(err, store.ErrNoPerson) || err == nil && (hash == "" || !p.Active):
		hash = s.dummy
	case err != nil:
		return p, "", err
	}
	counters := []counter{{"account " + email, freeOfAccount, longestWait}, {"address " + from, freeOfAddress, longestWait}}
	if nonce, known := s.knownDevice(p, devices); known && hash != s.dummy {
		counters = []counter{{"device " + nonce, freeOfDevice, longestOfDevice}}
	}
	leave, err := s.hashing.enter(ctx, email)
	if err != nil {
		return store.Person{}, "", err
	}
	defer leave()
	// Each try removes more old counters than it adds: those of made-up addresses do not pile up.
	if err := s.Store.DeleteOldThrottles(ctx, s.now().Add(-forgivenAfter)); err != nil {
		return store.Person{}, "", err
	}
	// Each try counts as failed before it is looked at, so that many at once are
	// not many more; the right password resets it.
	if err := s.countAll(ctx, counters); err != nil {
		if wait := (*Wait)(nil); errors.As(err, &wait) {
			err = errors.Join(err, s.audit(ctx, email, from, "sign_in_throttled", ""))
		}
		return store.Person{}, "", err
	}
	match, err := argon2id.ComparePasswordAndHash(password, hash)
	if err != nil {
		return p, "", errors.Join(err, s.takeBack(ctx, counters))
	}
	if err := ctx.Err(); err != nil {
		// The answer does not arrive: the try told nobody anything.
		return p, "", errors.Join(err, s.takeBack(ctx, counters))
	}
	if !match || hash == s.dummy {
		return store.Person{}, "", errors.Join(ErrWrong, s.audit(ctx, email, from, "sign_in_failed", ""))
	}
	back := func(t store.Throttle) (store.Throttle, error) {
		t.Failures--
		t.Until = t.Last
		return t, nil
	}
	for _, c := range counters {
		if strings.HasPrefix(c.who, "address ") {
			err = s.Store.Throttle(ctx, c.who, back)
		} else {
			err = s.Store.ClearThrottle(ctx, c.who)
		}
		if err != nil {
			return p, "", err
		}
	}
	return p, s.deviceCookie(p), errors.Join(s.Store.DeleteExpiredSessions(ctx), s.audit(ctx, p.Name, from, "signed_in", ""))
}

// takeBack a try that was counted and not judged.
func (s *Service) takeBack(ctx context.Context, counters []counter) (err error) {
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), takenBackWithin)
	defer cancel()
	for _, c := range counters {
		err = errors.Join(err, s.Store.Throttle(ctx, c.who, func(t store.Throttle) (store.Throttle, error) {
			t.Failures = max(0, t.Failures-1)
			t.Until = c.until(t)
			return t, nil
		}))
	}
	return err
}

const takenBackWithin = 5 * time.Second

// counter of failed tries: how many are free, and the longest wait after more.
type counter struct {
	who     string
	free    int
	longest time.Duration
}

// countAll counts a try on each counter, or on none: a [Wait] when any of them has to wait.
func (s *Service) countAll(ctx context.Context, counters []counter) error {
	for _, c := range counters {
		if err := s.throttle(ctx, c.who, func(t store.Throttle) store.Throttle { return t }); err != nil {
			return err
		}
	}
	for _, c := range counters {
		if err := s.count(ctx, c); err != nil {
			return err
		}
	}
	return nil
}

// throttle changes the counter of who; a [Wait], and no change, when the next try does not
// count yet.
func (s *Service) throttle(ctx context.Context, who string, change func(store.Throttle) store.Throttle) error {
	var wait *Wait
	now := s.now()
	err := s.Store.Throttle(ctx, who, func(t store.Throttle) (store.Throttle, error) {
		t = shifted(t, now)
		if left := t.Until.Sub(now); left > 0 {
			wait = &Wait{now.Add(left), now}
			return t, nil
		}
		wait = nil
		return change(t), nil
	})
	if err == nil && wait != nil {
		return wait
	}
	return err
}

// skew between two tries at once that is not a clock set back.
const skew = 5 * time.Second

// shifted is a counter written before the clock of the machine was set back, with its wait
// beginning now; and no wait is longer than the longest.
func shifted(t store.Throttle, now time.Time) store.Throttle {
	if t.Last.Sub(now) > skew {
		t.Until, t.Last = now.Add(max(0, t.Until.Sub(t.Last))), now
	}
	if longest := t.Last.Add(longestWait); t.Until.After(longest) {
		t.Until = longest
	}
	return t
}

// count a try, or a [Wait] when the next one does not count yet.
func (s *Service) count(ctx context.Context, c counter) error {
	return s.throttle(ctx, c.who, func(t store.Throttle) store.Throttle { return c.worse(t, s.now()) })
}

// worse is the throttle after one more failure.
func (c counter) worse(t store.Throttle, now time.Time) store.Throttle {
	if now.Sub(t.Last) > forgivenAfter {
		t.Failures = 0
	}
	t.Failures++
	t.Last = now
	if until := c.until(t); until.After(now) {
		t.Until = until
	}
	return t
}

// until when the next try waits after the failures of a throttle; its last try when it need not.
func (c counter) until(t store.Throttle) time.Time {
	over := t.Failures - c.free
	if over < 0 {
		return t.Last
	}
	return t.Last.Add(min(firstWait<<min(over, 10), c.longest))
}

// Invite writes a person into the register and mails them a link; nothing is kept when that
// fails. A name that looks like another person's is a question unless sure.
func (s *Service) Invite(ctx context.Context, by store.Person, from, name, email string, role access.Role, sure bool) (store.Person, error) {
	name, email, err := s.checkPerson(name, email)
	if err != nil {
		return store.Person{}, err
	}
	if !slices.Contains(access.Roles, role) {
		return store.Person{}, &refusal.Field{Pointer: "/role", Got: string(role), Accepted: "coordinator, technician, signatory, reader"}
	}
	if !sure {
		if err := s.lookAlike(ctx, name, email); err != nil {
			return store.Person{}, err
		}
	}
	p := store.Person{Name: name, Email: email, Role: role, Active: true, Epoch: 1}
	line := store.Audited{Who: by.Name, Address: from, What: "invited", Detail: name + " <" + email + "> as " + string(role)}
	link, address := s.newLink(p, store.Invitation, InvitationLasts)
	if p.ID, err = s.Store.Invite(ctx, p, link, line, func() error { return s.mailInvitation(ctx, p, address) }); err != nil {
		return p, alreadyTaken(err, name, email)
	}
	return p, nil
}

// lookAlike asks about a name that reads like another person's in other letters (Unicode TR 39,
// confusable detection, with upper and lower case as one).
func (s *Service) lookAlike(ctx context.Context, name, email string) error {
	all, err := s.Store.People(ctx)
	if err != nil {
		return err
	}
	for _, p := range all {
		one, other := visible(p.Name), visible(name)
		if p.Name != name && p.Email != email && (confusables.Confusable(one, other) || confusables.Confusable(strings.ToLower(one), strings.ToLower(other))) {
			return &refusal.Field{Pointer: "/name", Got: fmt.Sprintf("%q, which looks like %s <%s>,", name, p.Name, p.Email), Accepted: "a name that is not taken for another person's", Question: true}
		}
	}
	return nil
}

// visible part of a name: without format characters such as the zero-width joiner.
func visible(name string) string {
	return strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Cf, r) {
			return -1
		}
		return r
	}, name)
}

func (s *Service) checkPerson(name, email string) (string, string, error) {
	name, email = strings.Join(strings.Fields(name), " "), strings.ToLower(strings.TrimSpace(email))
	if access.IsTokenName(visible(name)) {
		return name, email, &refusal.Field{Pointer: "/name", Got: fmt.Sprintf("%q", name), Accepted: "a name that does not begin as those of tokens do"}
	}
	if n := len([]rune(name)); n < 2 || n > 120 {
		return name, email, &refusal.Field{Pointer: "/name", Got: fmt.Sprintf("%q", name), Accepted: "a name of 2 to 120 characters"}
	}
	if a, err := mail.ParseAddress(email); err != nil || a.Address != email || len(email) > 190 {
		return name, email, &refusal.Field{Pointer: "/email", Got: fmt.Sprintf("%q", email), Accepted: "an e-mail address such as a.brook@example.org"}
	}
	return name, email, nil
}

func alreadyTaken(err error, name, email string) error {
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	if strings.Contains(err.Error(), "person_name") {
		return &refusal.Field{Pointer: "/name", Got: name + ", which is somebody's already,", Accepted: "a name of their own: the books name their writers by it"}
	}
	return &refusal.Field{Pointer: "/email", Got: email + ", which is somebody's already,", Accepted: "another address"}
}

// InviteAgain mails a person who has not come in yet a new link; a [refusal.Field] for one who has,
// or whose account is closed.
func (s *Service) InviteAgain(ctx context.Context, by store.Person, from string, id int64) error {
	p, err := s.Store.Person(ctx, id)
	switch {
	case err != nil:
		return err
	case !p.Active:
		return &refusal.Field{Pointer: "/id", Got: p.Name + ", whose account is closed,", Accepted: "somebody who may sign in; open the account first"}
	case p.Password != "":
		return &refusal.Field{Pointer: "/id", Got: p.Name + ", who has a password,", Accepted: "somebody who has not come in yet; a forgotten password is replaced at the sign-in"}
	}
	link, address := s.newLink(p, store.Invitation, InvitationLasts)
	line := store.Audited{Who: by.Name, Address: from, What: "invited_again", Detail: p.Name + " <" + p.Email + ">"}
	return s.Store.Mailed(ctx, link, line, func() error { return s.mailInvitation(ctx, p, address) })
}

func (s *Service) mailInvitation(ctx context.Context, p store.Person, address string) error {
	return s.Outbox.Send(ctx, p.Email, "Your account in Diligent Ledger", fmt.Sprintf(
		"%s,\n\nan account as %s was opened for you. Choose a password within seven days:\n\n%s\n\nThe link works once. If you did not expect it, do nothing.",
		p.Name, p.Role, address))
}

// RequestReset mails a link to the person of that address, if there is one. The person who
// asks does not learn which.
func (s *Service) RequestReset(ctx context.Context, email, from string) error {
	email = strings.ToLower(strings.TrimSpace(email))
	if err := s.count(ctx, counter{"forgot " + from, freeOfAccount, longestWait}); err != nil {
		return err
	}
	// Whoever asks, from however many addresses: a mailbox gets few of them. The answer is the same.
	if err := s.count(ctx, counter{"reset of " + email, freeOfMailbox, longestWait}); err != nil {
		if wait := (*Wait)(nil); errors.As(err, &wait) {
			return s.audit(ctx, email, from, "password_forgotten", "no mail: too many")
		}
		return err
	}
	if err := s.audit(ctx, email, from, "password_forgotten", ""); err != nil {
		return err
	}
	p, err := s.Store.PersonByEmail(ctx, email)
	// A person who has not come in yet has no password to replace, and an invitation.
	if errors.Is(err, store.ErrNoPerson) || err == nil && (!p.Active || p.Password == "") {
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

// FirstLink makes a link for the first coordinator when no one can sign in as one
// yet; empty when a person can. An earlier link stops working.
func (s *Service) FirstLink(ctx context.Context) (string, error) {
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

// firstEmail is used until the first coordinator gives theirs.
const firstEmail = "first@localhost"

func (s *Service) link(ctx context.Context, p store.Person, purpose string, lasts time.Duration) (string, error) {
	link, address := s.newLink(p, purpose, lasts)
	return address, s.Store.AddLink(ctx, link)
}

// newLink of p, to be kept, and its address.
func (s *Service) newLink(p store.Person, purpose string, lasts time.Duration) (store.Link, string) {
	token := secret()
	return store.Link{Hash: sha256.Sum256([]byte(token)), Person: p.ID, Purpose: purpose, Expires: s.Now().Add(lasts)}, s.Address + "/link/" + token
}

func secret() string {
	b := make([]byte, 24)
	_, _ = rand.Read(b) // never fails: documented to end the program instead
	return base64.RawURLEncoding.EncodeToString(b)
}

// Linked gives whose link a token is and what for; [store.ErrNoLink].
func (s *Service) Linked(ctx context.Context, token string) (store.Person, string, error) {
	return s.Store.Linked(ctx, sha256.Sum256([]byte(token)))
}

// SetPassword a password by link; name and email are asked of the first coordinator
// only. A [refusal.Field], or [store.ErrNoLink].
func (s *Service) SetPassword(ctx context.Context, token, password, name, email, from string) (store.Person, error) {
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
	if bad := CheckPassword(password, p); bad != nil {
		return p, bad
	}
	leave, err := s.hashing.enter(ctx, p.Email)
	if err != nil {
		return p, err
	}
	hash, err := s.Hash(password)
	leave()
	if err != nil {
		return p, err
	}
	if p, purpose, err = s.Store.UseLink(ctx, sha256.Sum256([]byte(token)), hash, name, email); err != nil {
		return p, alreadyTaken(err, name, email)
	}
	if err := s.Store.ClearThrottle(ctx, "account "+p.Email); err != nil {
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
	// leastScore of the estimator, 0 to 4: 3 is "safely unguessable" offline for most.
	leastScore = 3
	// estimated characters: the estimator's time grows with the square of the length.
	estimated = 64
)

// productName and its words, as hints for the estimator.
var productName = []string{"diligentledger", "diligent", "ledger"}

// letters of a text, in lower case, without what people put between them.
func letters(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// CheckPassword of p: nil, or what would be accepted.
func CheckPassword(password string, p store.Person) *refusal.Field {
	accepted := fmt.Sprintf("%d to %d characters that are not easily guessed, your name, your address or this program's name, such as four unrelated words", shortest, longest)
	runes := []rune(password)
	if len(runes) < shortest || len(runes) > longest {
		return &refusal.Field{Pointer: "/password", Got: fmt.Sprintf("one of %d characters", len(runes)), Accepted: accepted}
	}
	local, _, _ := strings.Cut(p.Email, "@")
	plain := strings.ToLower(password)
	for _, known := range []string{p.Name, local, "password", "123456789", "qwertyuiop"} {
		if known = strings.ToLower(known); len(known) > 3 && strings.Contains(plain, known) {
			return &refusal.Field{Pointer: "/password", Got: "one that holds " + known, Accepted: accepted}
		}
	}
	if strings.Contains(letters(password), productName[0]) {
		return &refusal.Field{Pointer: "/password", Got: "one that holds this program's name", Accepted: accepted}
	}
	hints := append(append(strings.Fields(p.Name), p.Email, local), productName...)
	if zxcvbn.PasswordStrength(string(runes[:min(len(runes), estimated)]), hints).Score < leastScore {
		return &refusal.Field{Pointer: "/password", Got: "one that is easily guessed", Accepted: accepted}
	}
	return nil
}

// Change of a person; nil for what stays.
type Change struct {
	Role        *access.Role
	Active      *bool
	Name, Email *string
}

// ChangePerson name, role, address and whether a person may sign in. The last coordinator stays one. The books
// know their writers by their ids: what was recorded under another name stays theirs.
func (s *Service) ChangePerson(ctx context.Context, by store.Person, from string, id int64, c Change) (store.Person, error) {
	role, active, email := c.Role, c.Active, c.Email
	if c.Name != nil {
		p, err := s.Store.Person(ctx, id)
		if err != nil {
			return p, err
		}
		if err := s.lookAlike(ctx, strings.Join(strings.Fields(*c.Name), " "), p.Email); err != nil {
			var alike *refusal.Field
			if errors.As(err, &alike) {
				alike.Question = false
			}
			return p, err
		}
	}
	after, err := s.Store.SetPerson(ctx, store.Actor{ID: by.ID, Name: by.Name, Address: from}, id, func(p store.Person, coordinators int) (store.Person, string, error) {
		what := p.Name
		was := p.Role == access.Coordinator && p.Active && p.Password != ""
		if role != nil {
			what += fmt.Sprintf(": %s, was %s", *role, p.Role)
			p.Role = *role
		}
		if active != nil {
			what += map[bool]string{true: ": may sign in", false: ": may not sign in"}[*active]
			p.Active = *active
		}
		if c.Name != nil {
			name, _, err := s.checkPerson(*c.Name, p.Email)
			if err != nil {
				return p, "", err
			}
			what += fmt.Sprintf(": now %s", name)
			p.Name = name
		}
		if email != nil {
			_, address, err := s.checkPerson(p.Name, *email)
			if err != nil {
				return p, "", err
			}
			what += fmt.Sprintf(": <%s>, was <%s>", address, p.Email)
			p.Email = address
		}
		if was && coordinators <= 1 && (p.Role != access.Coordinator || !p.Active) {
			return p, "", &refusal.Field{Pointer: "/role", Got: p.Name + " as anything else", Accepted: "a coordinator: there is no other"}
		}
		return p, what, nil
	})
	if err != nil && (email != nil || c.Name != nil) {
		err = alreadyTaken(err, after.Name, after.Email)
	}
	return after, err
}

// SignedOut writes that a person left.
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

// SetReader keeps the units and the dates in which a person reads.
func (s *Service) SetReader(ctx context.Context, p store.Person) error {
	return s.Store.SetReader(ctx, p.ID, p.Reader)
}
