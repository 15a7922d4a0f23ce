package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/measure"
	"diligentledger/internal/words"
)

// Gateway is the role of a token that may send meter readings and do nothing else.
const Gateway access.Role = "gateway"

// TokenRoles that a token may have: a release is signed by a person.
var TokenRoles = []access.Role{Gateway, access.Reader, access.Technician, access.Coordinator}

// Scope is what a token may do beside its role; each covers those before it.
type Scope string

// The scopes: to read; to write entries, rounds, jobs and readings as well; to change the register, the plan and imports as well.
const (
	ScopeRead   Scope = "read"
	ScopeRecord Scope = "record"
	ScopeChange Scope = "change"
)

// Scopes from the least on.
var Scopes = []Scope{ScopeRead, ScopeRecord, ScopeChange}

// Covers reports whether the scope is enough where another one is needed; none is where no scope is.
func (s Scope) Covers(needed Scope) bool {
	has, needs := slices.Index(Scopes, s), slices.Index(Scopes, needed)
	return needs >= 0 && has >= needs
}

// Token for a script or a gateway.
type Token struct {
	ID         int64
	Name       string
	Role       access.Role
	Scope      Scope
	WhoID      int64        // its maker, with whose account it ends; 0 for one who is not known any more
	EndsOn     measure.Date // the last day on which it is good
	CreatedAt  time.Time
	Who        string
	Revoked    bool
	LastUsedAt *time.Time
	LastResult string
}

// ErrNoToken says that a token is not known, was revoked, or has ended.
var ErrNoToken = errors.New("this token is not known, was revoked, has ended, or its maker is no coordinator any more")

const tokenQuery = `SELECT id, name, role, scope, COALESCE(who_id, 0), ends_on, created_at, who, revoked_at IS NOT NULL, last_used_at, last_result FROM api_token`

func scanToken(row interface{ Scan(...any) error }) (t Token, err error) {
	var used sql.NullTime
	if err = row.Scan(&t.ID, &t.Name, &t.Role, &t.Scope, &t.WhoID, &t.EndsOn, &t.CreatedAt, &t.Who, &t.Revoked, &used, &t.LastResult); err != nil {
		if errors.Is(err, sql.ErrNoRows) {
			err = ErrNoToken
		}
		return t, err
	}
	if used.Valid {
		t.LastUsedAt = &used.Time
	}
	return t, nil
}

// tokenPrefix distinguishes a token from other secrets where it leaks.
const tokenPrefix = "dlt_"

// AddToken of 160 random bits, which is given once and kept as its hash; [ErrTaken] when the name
// is another's.
func (s *Store) AddToken(ctx context.Context, by Actor, name string, role access.Role, scope Scope, ends measure.Date) (secret string, id int64, err error) {
	random := make([]byte, 20)
	_, _ = rand.Read(random) // never fails: documented to end the program instead
	secret = tokenPrefix + hex.EncodeToString(random)
	hash := sha256.Sum256([]byte(secret))
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO api_token (name, hash, role, scope, ends_on, created_at, who, who_id) VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, name, hash[:], role, scope, ends.String(), s.now().UTC(), cut(by.Name, 190), nullID(by.ID))
		if err != nil {
			return taken(err)
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "token_made", fmt.Sprintf("%s, %s, %s, to %s", name, role, scope, ends), tokenTable, id)
	})
	return secret, id, err
}

// RevokeToken for good; [ErrNoToken].
func (s *Store) RevokeToken(ctx context.Context, by Actor, id int64) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		t, err := scanToken(tx.QueryRowContext(ctx, tokenQuery+` WHERE id = ? FOR UPDATE`, id))
		if err != nil || t.Revoked {
			return err
		}
		if _, err := tx.ExecContext(ctx, `UPDATE api_token SET revoked_at = ? WHERE id = ?`, s.now().UTC(), id); err != nil {
			return err
		}
		return s.changedRows(ctx, tx, by, "token_revoked", t.Name, tokenTable, id)
	})
}

// Tokens, those that are good first, by name.
func (s *Store) Tokens(ctx context.Context) ([]Token, error) {
	rows, err := s.db.QueryContext(ctx, tokenQuery+` ORDER BY revoked_at IS NOT NULL, name`)
	return collect(rows, err, func(rows *sql.Rows) (Token, error) { return scanToken(rows) })
}

// usedEvery is how often it is written that a token was used.
const usedEvery = time.Minute

// TokenHolder is the actor of a token: no person of the register, under the token's name and with
// its role. [ErrNoToken].
func (s *Store) TokenHolder(ctx context.Context, secret string) (Person, Token, error) {
	hash := sha256.Sum256([]byte(strings.TrimSpace(secret)))
	t, err := scanToken(s.row(ctx, nil, tokenQuery+` WHERE hash = ?`, hash[:]))
	if err != nil {
		return Person{}, t, err
	}
	zone, err := s.Zone(ctx)
	if err != nil {
		return Person{}, t, err
	}
	now := s.now()
	if t.Revoked || measure.DateOf(now, zone).After(t.EndsOn) {
		return Person{}, t, ErrNoToken
	}
	// It ends with the account, or the role, by which it was made.
	if maker, err := s.Person(ctx, t.WhoID); errors.Is(err, ErrNoPerson) || err == nil && (!maker.Active || maker.Role != access.Coordinator) {
		return Person{}, t, ErrNoToken
	} else if err != nil {
		return Person{}, t, err
	}
	if t.LastUsedAt == nil || now.Sub(*t.LastUsedAt) > usedEvery {
		_, err = s.db.ExecContext(ctx, `UPDATE api_token SET last_used_at = ? WHERE id = ?`, now.UTC(), t.ID)
	}
	return Person{Name: access.TokenName(t.Name), Role: t.Role, Active: true, Reader: words.Metric}, t, err
}

// TokenResult is what came of the last readings that a token brought.
func (s *Store) TokenResult(ctx context.Context, id int64, result string) error {
	_, err := s.db.ExecContext(ctx, `UPDATE api_token SET last_used_at = ?, last_result = ? WHERE id = ?`, s.now().UTC(), cut(result, 300), id)
	return err
}
