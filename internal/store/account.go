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

// storedAccount is a row of account. Its packed older rows are the same after most entries, and are
// not written then.
type storedAccount struct {
	seq, rules int64
	facts      []byte
	ledger.Packed
}

// accountColumns of a storedAccount but its seq.
const accountColumns = `COALESCE(a.rules, 0), COALESCE(a.facts, ''), COALESCE(a.body, ''), COALESCE(a.older, '')`

func (a *storedAccount) columns() []any { return []any{&a.rules, &a.facts, &a.Body, &a.Older} }

// saveAccount stores the account after its last entry, in place of before; nil when that is not
// known. One that cannot be evaluated is folded at each request until it can.
func (s *Store) saveAccount(ctx context.Context, tx *sql.Tx, u Unit, seq int64, a *ledger.Account, before *storedAccount) error {
	if a.Failure != "" {
		return nil
	}
	packed, err := a.Store()
	if err != nil {
		return fmt.Errorf("account of %s: %w", u.Code, err)
	}
	facts, err := factsOf(u)
	if err != nil {
		return fmt.Errorf("facts of %s: %w", u.Code, err)
	}
	if before != nil && before.rules == ledger.Rules && bytes.Equal(before.facts, facts) && bytes.Equal(before.Older, packed.Older) {
		res, err := s.exec(ctx, tx, `UPDATE account SET seq = ?, body = ? WHERE circuit_id = ? AND seq = ? AND rules = ? AND facts = ?`,
			seq, packed.Body, u.circuit, before.seq, ledger.Rules, facts)
		if err != nil {
			return err
		}
		if n, err := res.RowsAffected(); err != nil || n == 1 {
			return err
		}
	}
	_, err = s.exec(ctx, tx, `
		INSERT INTO account (circuit_id, seq, replaced, rules, facts, body, older) VALUES (?, ?, ?, ?, ?, ?, ?)
		ON DUPLICATE KEY UPDATE seq = VALUES(seq), replaced = VALUES(replaced), rules = VALUES(rules), facts = VALUES(facts), body = VALUES(body), older = VALUES(older)`,
		u.circuit, seq, u.Ledger.Replaced, ledger.Rules, facts, packed.Body, packed.Older)
	return err
}

// restored account of u as stored; nil when it is of other rules or facts, or damaged: it is
// folded from its entries.
func (a *storedAccount) restored(u Unit) (*ledger.Account, error) {
	if a.rules != ledger.Rules {
		return nil, nil
	}
	now, err := factsOf(u)
	if err != nil || !bytes.Equal(a.facts, now) {
		return nil, err
	}
	account, err := ledger.Restore(u.Ledger, a.Packed)
	if err != nil {
		return nil, nil
	}
	return account, nil
}

// fewUnits are asked for by name; of more all accounts are read.
const fewUnits = 500

// Accounts as stored of all circuits of the units, by their address. One that is missing, or was folded by
// other rules or by other facts of its unit (capacity, base, meter, cap, tank, the
// plan's share), is folded from its entries and stored, so that this happens once;
// stored is how many were not.
func (s *Store) Accounts(ctx context.Context, units []Unit) (accounts map[string]*ledger.Account, stored int, err error) {
	units = circuitsOf(units)
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
		SELECT a.circuit_id, a.rules, a.facts, a.body, a.older FROM account a JOIN circuit c ON c.id = a.circuit_id AND c.head_seq = a.seq`+where, args...)
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		var id int64
		var one storedAccount
		var facts, body, older sql.RawBytes
		if err := rows.Scan(&id, &one.rules, &facts, &body, &older); err != nil {
			return nil, 0, err
		}
		u, known := byID[id]
		if !known {
			continue
		}
		one.facts, one.Packed = facts, ledger.Packed{Body: body, Older: older}
		a, err := one.restored(u)
		if err != nil {
			return nil, 0, err
		}
		if a != nil {
			accounts[u.Address()] = a
		}
	}
	if err := rows.Err(); err != nil {
		return nil, 0, err
	}
	stored = len(accounts)
	for _, u := range units {
		if _, there := accounts[u.Address()]; there {
			continue
		}
		// A fleet that is folded anew takes longer than a request may; what is folded is kept.
		if accounts[u.Address()], err = s.refold(context.WithoutCancel(ctx), u); err != nil {
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
		return s.saveAccount(ctx, tx, u, seq, &a, nil)
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
	all := circuitsOf(units)
	for _, u := range all {
		if _, err := s.refold(ctx, u); err != nil {
			return 0, err
		}
	}
	return len(all), nil
}

// accountsWithin a transaction that has locked them, by their address, and the number of their
// entries: each as stored, or folded from its entries.
func (s *Store) accountsWithin(ctx context.Context, tx *sql.Tx, units []Unit) (map[string]*ledger.Account, int64, error) {
	var all map[string]*ledger.Account
	var seqs int64
	for _, u := range units {
		var one storedAccount
		if err := tx.QueryRowContext(ctx, `
			SELECT c.head_seq, `+accountColumns+` FROM circuit c LEFT JOIN account a ON a.circuit_id = c.id AND a.seq = c.head_seq WHERE c.id = ?`, u.circuit).
			Scan(append([]any{&one.seq}, one.columns()...)...); err != nil {
			return nil, 0, err
		}
		account, err := one.restored(u)
		if err != nil {
			return nil, 0, err
		}
		if account == nil {
			entries, err := s.entries(ctx, tx, u)
			if err != nil {
				return nil, 0, err
			}
			folded := ledger.TryFold(u.Ledger, entries)
			account = &folded
		}
		if all == nil {
			all = map[string]*ledger.Account{}
		}
		all[u.Address()], seqs = account, seqs+one.seq
	}
	return all, seqs, nil
}
