// Package webtest opens the program over the books of a test: a server whose sign-in takes little memory and whose rate has no limit.
package webtest

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing/fstest"
	"time"

	"diligentledger/core/access"
	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/people"
	"diligentledger/internal/store"
	"diligentledger/internal/web"
)

// Books that are open.
type Books struct {
	Server *httptest.Server
	// Store of the application's user, with the patience of requests unless it was asked for more; Patient is the same user's, and
	// Owner may change what is written.
	Store, Patient, Owner *store.Store
	Desk                  *fleet.Fleet
}

type noMail struct{}

func (noMail) Send(context.Context, string, string, string) error { return nil }

// Open books with a fleet and the people of the demo fleet. Patient: statements may take as long as they need.
func Open(i *mariadb.Instance, f store.LoadedFleet, now func() time.Time, patient bool) (b Books, err error) {
	ctx := context.Background()
	if b.Owner, err = store.OpenPatient(i.OwnerDSN(), now); err != nil {
		return b, err
	}
	if err = b.Owner.Load(ctx, f); err != nil {
		return b, err
	}
	if b.Patient, err = store.OpenPatient(i.AppDSN(), now); err != nil {
		return b, err
	}
	b.Store = b.Patient
	if !patient {
		if b.Store, err = store.Open(i.AppDSN(), now); err != nil {
			return b, err
		}
	}
	service, err := people.New(people.Config{Store: b.Store, Outbox: noMail{}, Address: "http://ledger.test", Now: now, Memory: 64})
	if err != nil {
		return b, err
	}
	if err = service.OpenDevices(ctx); err != nil {
		return b, err
	}
	if err = service.AddDemo(ctx, demo.People); err != nil {
		return b, err
	}
	b.Desk = fleet.New(b.Store, now)
	if _, err = fleet.New(b.Patient, now).RefreshStatus(ctx); err != nil {
		return b, err
	}
	h, err := web.New(web.Config{Fleet: b.Desk, People: service, Screens: fstest.MapFS{"index.html": {Data: []byte(`<meta name="style-nonce" content="__NONCE__">`)}},
		Log: slog.New(slog.DiscardHandler), Rate: 1e6, Stream: time.Second})
	if err != nil {
		return b, err
	}
	b.Server = httptest.NewServer(h)
	return b, nil
}

// SignIn the first person of a role; the value of the cookie header.
func (b Books) SignIn(ctx context.Context, role access.Role) (cookie string, err error) {
	for _, p := range demo.People {
		if p.Role != role {
			continue
		}
		body, err := json.Marshal(map[string]string{"email": p.Email, "password": p.Password})
		if err != nil {
			return "", err
		}
		req, err := http.NewRequestWithContext(ctx, http.MethodPost, b.Server.URL+"/api/v1/session", bytes.NewReader(body))
		if err != nil {
			return "", err
		}
		req.Header.Set("Sec-Fetch-Site", "same-origin")
		req.Header.Set("Content-Type", "application/json")
		res, err := http.DefaultClient.Do(req)
		if err != nil {
			return "", err
		}
		defer res.Body.Close()
		for _, c := range res.Cookies() {
			if c.Name == "session" {
				return "session=" + c.Value, nil
			}
		}
		return "", fmt.Errorf("sign-in of a %s: %s", role, res.Status)
	}
	return "", fmt.Errorf("the demo fleet has no %s", role)
}
