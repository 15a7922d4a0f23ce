package web_test

import (
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/internal/fleet"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/web"
)

// addPerson with a password to the register, and how to sign in as them with a device cookie.
func addPerson(t *testing.T, name, email string, role access.Role) (store.Person, func(password, cookie string) (*http.Response, string)) {
	t.Helper()
	p := store.Person{Name: name, Email: email, Role: role, Password: mustHash(t, "right right right"), Active: true}
	id, err := service.Store.AddPerson(t.Context(), p)
	if err != nil {
		t.Fatal(err)
	}
	p.ID = id
	return p, func(password, cookie string) (*http.Response, string) {
		res, text := ask(t, "POST", "/api/v1/session", m{"email": email, "password": password}, "Cookie", cookie)
		return res, string(text)
	}
}

func cookieOf(res *http.Response, name string) string {
	for _, c := range res.Cookies() {
		if c.Name == name {
			return c.Name + "=" + c.Value
		}
	}
	return ""
}

func forgive(t *testing.T, who ...string) {
	t.Helper()
	for _, w := range append(who, "address 127.0.0.1") {
		if err := service.Store.ClearThrottle(t.Context(), w); err != nil {
			t.Fatal(err)
		}
	}
}

// Anybody may try an account to its limit: its person gets in from a device that signed in
// before, at once. Such a cookie is worth nothing for another account, after a new password,
// or when it was made up; and a device that guesses waits as well.
func TestDeviceCookie(t *testing.T) {
	person, signIn := addPerson(t, "D. Vice", "device@skerrow.example", access.Reader)
	res, text := signIn("right right right", "")
	device := cookieOf(res, fmt.Sprint("device_", person.ID))
	if res.StatusCode != http.StatusOK || device == "" {
		t.Fatalf("%d %s, cookies %v", res.StatusCode, text, res.Cookies())
	}
	for _, c := range res.Cookies() {
		if strings.HasPrefix(c.Name, "device") && !(c.HttpOnly && c.Secure && c.SameSite == http.SameSiteLaxMode) {
			t.Errorf("the device cookie is %+v", c)
		}
	}
	for range 6 {
		signIn("wrong", "")
	}
	if res, _ := signIn("right right right", ""); res.StatusCode != http.StatusTooManyRequests {
		t.Errorf("a device that is not known: %d", res.StatusCode)
	}
	// Others sign in from the same device, which stays known for each of them.
	if res, text := signIn("right right right", "device_999999=AAAA.BBBB; "+device+"; device_999998=x"); res.StatusCode != http.StatusOK {
		t.Errorf("a device of several people: %d %s", res.StatusCode, text)
	}
	for range 6 {
		signIn("wrong", "")
	}
	if res, text := signIn("right right right", device); res.StatusCode != http.StatusOK {
		t.Errorf("the device that signed in before: %d %s", res.StatusCode, text)
	}
	for range 6 {
		signIn("wrong", "")
	}
	nonce, mac, _ := strings.Cut(device, ".")
	for name, cookie := range map[string]string{"a nonce of its own": nonce + "x." + mac, "no mac": nonce, "a mac of its own": nonce + ".AAAA"} {
		if res, _ := signIn("right right right", cookie); res.StatusCode != http.StatusTooManyRequests {
			t.Errorf("%s: %d", name, res.StatusCode)
		}
	}
	third, other := addPerson(t, "O. Ther", "other@skerrow.example", access.Reader)
	forgive(t)
	if res, _ := other("right right right", device); cookieOf(res, fmt.Sprint("device_", third.ID)) == "" || cookieOf(res, fmt.Sprint("device_", person.ID)) != "" {
		t.Errorf("a second person on the device replaces the first: %v", res.Cookies())
	}
	forgive(t)
	for range 6 {
		other("wrong", "")
	}
	if res, _ := other("right right right", device); res.StatusCode != http.StatusTooManyRequests {
		t.Errorf("another account's device: %d", res.StatusCode)
	}
	forgive(t, "account other@skerrow.example")
	for range 10 {
		if res, _ := signIn("wrong", device); res.StatusCode != http.StatusUnauthorized {
			t.Fatalf("a wrong password on the device: %d", res.StatusCode)
		}
	}
	if res, _ := signIn("right right right", device); res.StatusCode != http.StatusTooManyRequests {
		t.Errorf("a device that guesses: %d", res.StatusCode)
	}
	// However often it guessed, the right password gets in within seconds.
	for range 5 {
		forward(11 * time.Second)
		defer forward(-11 * time.Second)
		signIn("wrong", device)
	}
	forward(11 * time.Second)
	defer forward(-11 * time.Second)
	if res, text := signIn("right right right", device); res.StatusCode != http.StatusOK {
		t.Errorf("ten seconds after the last guess: %d %s", res.StatusCode, text)
	}
	forgive(t, "account device@skerrow.example")
}

// A try that has to wait for its address is not counted against the account, and the other
// way round.
func TestCountersApart(t *testing.T) {
	_, signIn := addPerson(t, "A. Part", "apart@skerrow.example", access.Reader)
	for i := range 20 { // the address has twenty free
		ask(t, "POST", "/api/v1/session", m{"email": fmt.Sprintf("made-up-%d@skerrow.example", i), "password": "x"}, "Cookie", "")
	}
	for range 8 {
		if res, _ := signIn("wrong", ""); res.StatusCode != http.StatusTooManyRequests {
			t.Fatalf("the address does not wait: %d", res.StatusCode)
		}
	}
	forgive(t)
	if res, text := signIn("right right right", ""); res.StatusCode != http.StatusOK {
		t.Errorf("an account that was never tried: %d %s", res.StatusCode, text)
	}
	// Counters of made-up addresses are swept a day later, with the next sign-in.
	forward(25 * time.Hour)
	defer forward(-25 * time.Hour)
	signIn("right right right", "")
	var left int
	if err := opened(t, instance.OwnerDSN()).DB().QueryRowContext(t.Context(), `SELECT COUNT(*) FROM throttle WHERE who LIKE 'account made-up%'`).Scan(&left); err != nil || left != 0 {
		t.Errorf("%d counters of made-up addresses are left, %v", left, err)
	}
}

// The clock of the machine is set back by a month after a sign-in and after some waits: no wait
// is longer than the longest.
func TestClockSetBack(t *testing.T) {
	_, signIn := addPerson(t, "C. Lock", "clock@skerrow.example", access.Reader)
	for range 5 {
		signIn("wrong", "")
	}
	back := -30 * 24 * time.Hour
	forward(back)
	defer forward(-back)
	res, text := signIn("right right right", "")
	if res.StatusCode != http.StatusTooManyRequests || strings.Contains(text, "h ") || len(res.Header.Get("Retry-After")) > 3 {
		t.Errorf("after the clock was set back: %d %s, Retry-After %s", res.StatusCode, text, res.Header.Get("Retry-After"))
	}
	// The wait passes by itself, though the clock shows a day long before it was set.
	forward(time.Minute)
	defer forward(-time.Minute)
	forgive(t, "address 127.0.0.1")
	if res, text := signIn("right right right", ""); res.StatusCode != http.StatusOK {
		t.Errorf("%d %s", res.StatusCode, text)
	}
	forward(back)
	defer forward(-back)
	if res, text := signIn("right right right", ""); res.StatusCode != http.StatusOK {
		t.Errorf("signed in, the clock set back, signed in again: %d %s", res.StatusCode, text)
	}
}

// What a stranger asks for ends no invitation; an invitation is sent again only to a person who
// has not come in, and is audited; one that cannot be mailed keeps nothing.
func TestInvitationsStand(t *testing.T) {
	const email = "standing@skerrow.example"
	res, text := ask(t, "POST", "/api/v1/people", m{"name": "S. Tanding", "email": email, "role": "reader"})
	if res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	invitation, sent := lastLink(t), len(mail.sent)
	forgive(t, "forgot 127.0.0.1")
	ask(t, "POST", "/api/v1/password-reset", m{"email": email}, "Cookie", "")
	if len(mail.sent) != sent {
		t.Error("somebody without a password got a link to replace it")
	}
	if res, _ := ask(t, "GET", "/api/v1/links/"+invitation, nil, "Cookie", ""); res.StatusCode != http.StatusOK {
		t.Errorf("the invitation after a stranger's reset: %d", res.StatusCode)
	}
	find := func(email string) *api.Person {
		people := get[[]api.Person](t, "/api/v1/people")
		if i := slices.IndexFunc(people, func(p api.Person) bool { return p.Email == email }); i >= 0 {
			return &people[i]
		}
		return nil
	}
	again := fmt.Sprintf("/api/v1/people/%d/invitation", find(email).Id)
	if res, text := ask(t, "POST", again, nil); res.StatusCode != http.StatusAccepted {
		t.Errorf("invited again: %d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", "/api/v1/links/"+lastLink(t), m{"password": "tern gravel oilskin noon"}, "Cookie", ""); res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if res, text := ask(t, "POST", again, nil); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "who has a password") {
		t.Errorf("somebody who came in is invited again: %d %s", res.StatusCode, text)
	}
	if lines := get[[]api.AuditLine](t, "/api/v1/audit"); !slices.ContainsFunc(lines, func(l api.AuditLine) bool { return l.What == "invited_again" && strings.Contains(l.Detail, email) }) {
		t.Error("an invitation that was sent again is not audited")
	}
	mail.broken = errors.New("no space left on device")
	defer func() { mail.broken = nil }()
	if res, _ := ask(t, "POST", "/api/v1/people", m{"name": "N. Evermailed", "email": "never@skerrow.example", "role": "reader"}); res.StatusCode < 500 {
		t.Errorf("a mail that cannot be sent: %d", res.StatusCode)
	}
	if find("never@skerrow.example") != nil {
		t.Error("an invitation that failed is kept")
	}
}

// The last coordinator who can sign in stays one, though others are invited; a change that
// changes nothing ends no session and is not audited.
func TestCoordinatorWhoCanSignIn(t *testing.T) {
	if _, err := service.Store.AddPerson(t.Context(), store.Person{Name: "I. Nvited", Email: "invited@skerrow.example", Role: access.Coordinator, Active: true}); err != nil {
		t.Fatal(err)
	}
	all := get[[]api.Person](t, "/api/v1/people")
	me := all[slices.IndexFunc(all, func(p api.Person) bool { return p.Email == "marrow@skerrow.example" })]
	path := fmt.Sprint("/api/v1/people/", me.Id)
	if res, text := ask(t, "PATCH", path, m{"active": false}); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(string(text), "no other") {
		t.Errorf("the last coordinator who can sign in: %d %s", res.StatusCode, text)
	}
	before := len(get[[]api.AuditLine](t, "/api/v1/audit?limit=500"))
	if res, text := ask(t, "PATCH", path, m{"role": "coordinator", "active": true}); res.StatusCode != http.StatusOK {
		t.Errorf("nothing changed: %d %s", res.StatusCode, text)
	}
	if after := get[[]api.AuditLine](t, "/api/v1/audit?limit=500"); len(after) != before && before < 500 {
		t.Errorf("a change that changes nothing is audited: %+v", after[0])
	}
}

// The first link is offered at each start until a coordinator has a password; no other person
// ends it from outside, and it names its person at its use.
func TestFirstLink(t *testing.T) {
	owner := opened(t, instance.OwnerDSN())
	// No coordinator can sign in during this test.
	if _, err := owner.DB().ExecContext(t.Context(), `UPDATE person SET active = FALSE WHERE role = 'coordinator'`); err != nil {
		t.Fatal(err)
	}
	defer func() {
		if _, err := owner.DB().Exec(`UPDATE person SET active = TRUE WHERE email = 'marrow@skerrow.example'`); err != nil {
			t.Error(err)
		}
		if _, err := owner.DB().Exec(`UPDATE person SET active = FALSE, role = 'reader' WHERE email IN ('chief@skerrow.example', 'first@localhost')`); err != nil {
			t.Error(err)
		}
	}()
	first := func() string {
		link, err := service.FirstLink(t.Context())
		if err != nil {
			t.Fatal(err)
		}
		return link[strings.LastIndex(link, "/")+1:]
	}
	one := first()
	forgive(t, "forgot 127.0.0.1")
	ask(t, "POST", "/api/v1/password-reset", m{"email": "first@localhost"}, "Cookie", "")
	if res, _ := ask(t, "GET", "/api/v1/links/"+one, nil, "Cookie", ""); res.StatusCode != http.StatusOK {
		t.Errorf("the first link after a stranger's reset: %d", res.StatusCode)
	}
	two := first()
	if two == one || two == "" {
		t.Errorf("no new link at the next start: %q", two)
	}
	res, text := ask(t, "POST", "/api/v1/links/"+two, m{"password": "tern gravel oilskin noon", "name": "C. Hief", "email": "chief@skerrow.example"}, "Cookie", "")
	if res.StatusCode != http.StatusOK || !strings.Contains(string(text), "C. Hief") {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	if link, err := service.FirstLink(t.Context()); err != nil || link != "" {
		t.Errorf("a link is offered after somebody came in: %q, %v", link, err)
	}
}

// Passwords that are easily guessed are refused, whatever they are made of.
func TestEasyPasswords(t *testing.T) {
	p := store.Person{Name: "A. Brook", Email: "brook@skerrow.example"}
	for password, fine := range map[string]bool{"tern gravel oilskin noon": true, "correct horse battery staple": true, "aaaaaaaaaaaaaaaa": false, "123456123456": false,
		"qwertyqwerty": false, "iloveyou1234": false, "Diligent-Ledger-1": false, "brookbrook12": false, "letmeinletmein": false, "short": false, strings.Repeat("lang kobold ", 30): false} {
		if err := people.CheckPassword(password, p); (err == nil) != fine {
			t.Errorf("%q: %v", password, err)
		}
	}
}

// Right passwords are never taken for wrong ones, however many are tried at once on a busy machine: each is accepted, or asked to wait
// for its turn and not counted.
func TestSignInAtOnce(t *testing.T) {
	const email = "atonce@skerrow.example"
	slow, err := people.New(people.Config{Store: service.Store, Outbox: mail, Address: "http://ledger.test", Now: now, Memory: 1 << 10})
	if err != nil {
		t.Fatal(err)
	}
	hash, err := slow.Hash("right right right")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := service.Store.AddPerson(t.Context(), store.Person{Name: "A. Tonce", Email: email, Role: access.Reader, Password: hash, Active: true}); err != nil {
		t.Fatal(err)
	}
	h, err := web.New(web.Config{Fleet: fleet.New(service.Store, now), People: slow, Screens: screens, Log: slog.New(slog.DiscardHandler), Rate: 10_000, Stream: 2 * time.Second})
	if err != nil {
		t.Fatal(err)
	}
	at := httptest.NewServer(h)
	defer at.Close()
	try := func(password string) (int, string) {
		req, err := http.NewRequestWithContext(t.Context(), "POST", at.URL+"/api/v1/session", strings.NewReader(fmt.Sprintf(`{"email":%q,"password":%q}`, email, password)))
		if err != nil {
			t.Fatal(err)
		}
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			t.Error(err)
			return 0, ""
		}
		defer res.Body.Close()
		text, _ := io.ReadAll(res.Body)
		return res.StatusCode, string(text)
	}
	for range 3 { // of five that are free
		try("wrong")
	}
	in := 0
	for range 4 {
		var all sync.WaitGroup
		var mu sync.Mutex
		for range 16 {
			all.Go(func() {
				status, text := try("right right right")
				mu.Lock()
				defer mu.Unlock()
				switch {
				case status == http.StatusOK:
					in++
				case status == http.StatusServiceUnavailable && strings.Contains(text, "one moment") && strings.Contains(text, "not counted"):
				default:
					t.Errorf("%d %s", status, text)
				}
			})
		}
		all.Wait()
	}
	if in == 0 {
		t.Error("nobody came in")
	}
	if status, text := try("right right right"); status != http.StatusOK {
		t.Errorf("afterwards: %d %s", status, text)
	}
	var failures int
	if err := opened(t, instance.OwnerDSN()).DB().QueryRowContext(t.Context(), `SELECT COALESCE(MAX(failures), 0) FROM throttle WHERE who = ?`, "account "+email).Scan(&failures); err != nil || failures != 0 {
		t.Errorf("%d failures are counted, %v", failures, err)
	}
}

// Of ten uses of one invitation at once one gets in.
func TestInvitationAtOnce(t *testing.T) {
	if res, text := ask(t, "POST", "/api/v1/people", m{"name": "T. Entimes", "email": "tentimes@skerrow.example", "role": "reader"}); res.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", res.StatusCode, text)
	}
	token := lastLink(t)
	var all sync.WaitGroup
	var in, gone atomic.Int32
	for range 10 {
		all.Go(func() {
			res, text, err := send(t.Context(), "POST", "/api/v1/links/"+token, m{"password": "tern gravel oilskin noon"}, "Cookie", "")
			switch {
			case err == nil && res.StatusCode == http.StatusOK:
				in.Add(1)
			case err == nil && res.StatusCode == http.StatusGone:
				gone.Add(1)
			default:
				t.Errorf("%v, %s", err, text)
			}
		})
	}
	all.Wait()
	if in.Load() != 1 || gone.Load() != 9 {
		t.Errorf("%d came in, %d were told that it was used", in.Load(), gone.Load())
	}
}

// A mailbox gets few letters, from however many addresses they are asked for; the answer tells nobody.
func TestResetMailsOfOneAddress(t *testing.T) {
	const email = "mailbox@skerrow.example"
	addPerson(t, "M. Ailbox", email, access.Reader)
	sent := len(mail.sent)
	for i := range 40 {
		forgive(t, "forgot 127.0.0.1") // as from another address each time
		if res, text := ask(t, "POST", "/api/v1/password-reset", m{"email": email}, "Cookie", ""); res.StatusCode >= 400 {
			t.Fatalf("%d: %d %s", i, res.StatusCode, text)
		}
	}
	if n := len(mail.sent) - sent; n != 3 {
		t.Errorf("%d of 40 letters were sent, not 3", n)
	}
}
