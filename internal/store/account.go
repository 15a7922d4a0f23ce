package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/json"
	"fmt"
	"strings"

	"diligentledger/core/ledger"
)

// factsOf a unit that its account is folded by, as one hash.
func factsOf(u Unit) ([]byte, error) {
	facts, err := json.Marshal(u.Ledger)
	sum := sha256.Sum256(facts)
	return sum[:], err
}

// saveAccount stores the account after its last entry; one that cannot be evaluated is
// folded at each request until it can.
func (s *Store) saveAccount(ctx context.Context, tx *sql.Tx, u Unit, seq int64, a *ledger.Account) error {
	if a.Failure != "" {
		return nil
	}
	body, err := a.Store()
	if err != nil {
		return fmt.Errorf("account of %s: %w", u.Code, err)
	}
	facts, err := factsOf(u)
	if err != nil {
		return fmt.Errorf("facts of %s: %w", u.Code, err)
	}
	_, err = s.exec(ctx, tx, `
		INSERT INTO account (circuit_id, seq, replaced, rules, facts, body) VALUES (?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE seq = VALUES(seq), replaced = VALUES(replaced), rules = VALUES(rules), facts = VALUES(facts), body = VALUES(body)`,
		u.circuit, seq, u.Ledger.Replaced, ledger.Rules, facts, body)
	return err
}

// restored account of u as stored; nil when it is of other rules or facts, or damaged: it is
// folded from its entries.
func restored(u Unit, rules int64, facts, body []byte) (*ledger.Account, error) {
	if rules != ledger.Rules {
		return nil, nil
	}
	now, err := factsOf(u)
	if err != nil || !bytes.Equal(facts, now) {
		return nil, err
	}
	a, err := ledger.Restore(u.Ledger, body)
	if err != nil {
		return nil, nil
	}
	return a, nil
}

// fewUnits are asked for by name; of more all accounts are read.
const fewUnits = 500

// Accounts as stored, by the unit's code. One that is missing, or was folded by
// other rules or by other facts of its unit (capacity, base, meter, cap, tank, the
// plan's share), is folded from its entries and stored, so that this happens once;
// stored is how many were not.
func (s *Store) Accounts(ctx context.Context, units []Unit) (accounts map[string]*ledger.Account, stored int, err error) {
	byID := make(map[int64]Unit, len(units))
	for _, u := range units {
		byID[u.circuit] = u
	}
	accounts = make(map[string]*ledger.Account, len(units))
	where, args := ``, []any(nil)
	if n := len(units); n > 0 && n <= fewUnits {
		where = ` WHERE c.id IN (?` + strings.Repeat(`, ?`, n-1) + `)`
		for _, u := range units {
			args = append(args, u.circuit)
		}
	}
	rows, err := s.db.QueryContext(ctx, `
		SELECT a.circuit_id, a.facts, a.rules, a.body FROM account a JOIN circuit c ON c.id = a.circuit_id AND c.head_seq = a.seq`+where, args...)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var rules int64
		var facts, body sql.RawBytes
		if err := rows.Scan(&id, &facts, &rules, &body); err != nil {
			return nil, 0, err
		}
		u, known := byID[id]
		if !known {
			continue
		}
		a, err := restored(u, rules, facts, body)
		if err != nil {
			return nil, 0, err
		}
		if a != nil {
			accounts[u.Code] = a
		}
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	stored = len(accounts)
	for _, u := range units {
		if _, there := accounts[u.Code]; there {
			continue
		}
		// A fleet that is folded anew takes longer than a request may; what is folded is kept.
		if accounts[u.Code], err = s.refold(context.WithoutCancel(ctx), u); err != nil {
			return nil, 0, err
		}
	}
	return accounts, stored, nil
}

// refold an account from its entries and store it.
func (s *Store) refold(ctx context.Context, u Unit) (*ledger.Account, error) {
	var a ledger.Account
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		var seq int64
		if err := tx.QueryRowContext(ctx, `SELECT head_seq FROM circuit WHERE id = ? FOR UPDATE`, u.circuit).Scan(&seq); err != nil {
			return err
		}
		entries, err := s.entries(ctx, tx, u)
		if err != nil {
			return err
		}
		a = ledger.TryFold(u.Ledger, entries)
		return s.saveAccount(ctx, tx, u, seq, &a)
	})
	if err != nil {
		return nil, fmt.Errorf("account of %s: %w", u.Code, err)
	}
	return &a, nil
}

// Rebuild folds every account from its entries and stores it; how many there are.
func (s *Store) Rebuild(ctx context.Context) (int, error) {
	units, err := s.Units(ctx)
	if err != nil {
		return 0, err
	}
	for _, u := range units {
		if _, err := s.refold(ctx, u); err != nil {
			return 0, err
		}
	}
	return len(units), nil
}
