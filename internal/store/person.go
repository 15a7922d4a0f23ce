package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/measure"
	"diligentledger/internal/words"
)

// Person who may sign in.
type Person struct {
	ID          int64
	Name, Email string
	Role        access.Role
	Active      bool
	// Epoch rises when all sessions of the person end.
	Epoch int64
	// Password as its hash; empty until the person has chosen one.
	Password string
	// Reader is how the person reads figures and dates.
	Reader words.Reader
}

// ErrNoPerson says that no one of that kind is known.
var ErrNoPerson = errors.New("no such person")

// ErrTaken says that a name or an e-mail address belongs to another person.
var ErrTaken = errors.New("taken by somebody else")

const personQuery = `
	SELECT p.id, p.name, p.email, p.role, p.active, p.epoch, COALESCE(p.password, ''), r.temperature, r.volume, r.pressure, r.distance, r.dates, r.numbers, COALESCE(i.value, '')
	FROM person p LEFT JOIN person_reading r ON r.person_id = p.id LEFT JOIN installation i ON i.name = 'reading'`

func scanPerson(row interface{ Scan(...any) error }) (p Person, err error) {
	var temperature, volume, pressure, distance, dates, numbers sql.NullString
	var usual string
	err = row.Scan(&p.ID, &p.Name, &p.Email, &p.Role, &p.Active, &p.Epoch, &p.Password, &temperature, &volume, &pressure, &distance, &dates, &numbers, &usual)
	p.Reader = words.ReaderOf(usual) // as the fleet reads, where nothing was chosen
	if dates.Valid {
		p.Reader = words.Reader{Temperature: measure.Unit(temperature.String), Volume: measure.Unit(volume.String), Pressure: measure.Unit(pressure.String),
			Distance: measure.Unit(distance.String), Dates: words.DateStyle(dates.String), Numbers: measure.NumberFormat(numbers.String)}
	}
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoPerson
	}
	return p, err
}

// PersonByEmail finds a person by address; [ErrNoPerson] when there is none.
func (s *Store) PersonByEmail(ctx context.Context, email string) (Person, error) {
	return scanPerson(s.db.QueryRowContext(ctx, personQuery+` WHERE p.email = ?`, email))
}

// Person of that id; [ErrNoPerson] when there is none.
func (s *Store) Person(ctx context.Context, id int64) (Person, error) {
	return scanPerson(s.row(ctx, nil, personQuery+` WHERE p.id = ?`, id))
}

// SetReader keeps how a person reads figures and dates.
func (s *Store) SetReader(ctx context.Context, person int64, r words.Reader) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		var name string
		if err := tx.QueryRowContext(ctx, `SELECT name FROM person WHERE id = ?`, person).Scan(&name); err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, `
			INSERT INTO person_reading (person_id, temperature, volume, pressure, distance, dates, numbers) VALUES (?, ?, ?, ?, ?, ?, ?)
			ON DUPLICATE KEY UPDATE temperature = VALUES(temperature), volume = VALUES(volume), pressure = VALUES(pressure), distance = VALUES(distance), dates = VALUES(dates), numbers = VALUES(numbers)`,
			person, r.Temperature, r.Volume, r.Pressure, r.Distance, r.Dates, r.Numbers); err != nil {
			return err
		}
		return s.chained(ctx, tx, name, "units_chosen", readingTable, person)
	})
}

// People by name.
func (s *Store) People(ctx context.Context) ([]Person, error) {
	rows, err := s.db.QueryContext(ctx, personQuery+` ORDER BY p.name`)
	return collect(rows, err, func(rows *sql.Rows) (Person, error) { return scanPerson(rows) })
}

// AddPerson writes a person into the register and returns the id; [ErrTaken]
// when the name or the address is another's. What the audit is to say of it is part
// of it.
func (s *Store) AddPerson(ctx context.Context, p Person, lines ...Audited) (id int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO person (name, email, role, password, created_at) VALUES (?, ?, ?, NULLIF(?, ''), ?)`,
			p.Name, p.Email, p.Role, p.Password, s.now().UTC())
		if err != nil {
			return taken(err)
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		if err := s.chained(ctx, tx, programName, "person_added", personTable, id); err != nil {
			return err
		}
		for _, l := range lines {
			if err := s.audit(ctx, tx, l); err != nil {
				return err
			}
		}
		return nil
	})
	return id, err
}

// Invite writes a person into the register with a link and what the audit is to say, and keeps
// none of it when send, which mails the link, fails; [ErrTaken].
func (s *Store) Invite(ctx context.Context, p Person, l Link, line Audited, send func() error) (id int64, err error) {
	err = s.inTx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO person (name, email, role, created_at) VALUES (?, ?, ?, ?)`, p.Name, p.Email, p.Role, s.now().UTC())
		if err != nil {
			return taken(err)
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		l.Person = id
		if err := addLink(ctx, tx, l); err != nil {
			return err
		}
		if err := s.chained(ctx, tx, line.Who, line.What, personTable, id); err != nil {
			return err
		}
		if err := s.audit(ctx, tx, line); err != nil {
			return err
		}
		return send()
	})
	return id, err
}

// Mailed keeps a link and what the audit is to say, and neither when send fails.
func (s *Store) Mailed(ctx context.Context, l Link, line Audited, send func() error) error {
	return s.inTx(ctx, func(tx *sql.Tx) error {
		if err := addLink(ctx, tx, l); err != nil {
			return err
		}
		if err := s.audit(ctx, tx, line); err != nil {
			return err
		}
		return send()
	})
}

// addLink ends the unused links of the same person and purpose.
func addLink(ctx context.Context, tx *sql.Tx, l Link) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM one_time_link WHERE person_id = ? AND purpose = ? AND used_at IS NULL`, l.Person, l.Purpose); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx, `INSERT INTO one_time_link (hash, person_id, purpose, expires_at) VALUES (?, ?, ?, ?)`,
		l.Hash[:], l.Person, l.Purpose, l.Expires.UTC())
	return err
}

func taken(err error) error {
	if isDuplicate(err) {
		return fmt.Errorf("%w: %s", ErrTaken, err)
	}
	return err
}

// SetPerson changes name, role, address and whether a person may sign in; when one but the name changes
// all their sessions end, and with the address the links that were mailed to the one before;
// [ErrTaken] when it is another's. change sees the person and how many coordinators can sign in,
// while both are locked, and gives what the audit is to say. A change that
// changes nothing ends no session and is not audited.
func (s *Store) SetPerson(ctx context.Context, by Actor, id int64, change func(p Person, coordinators int) (after Person, what string, err error)) (Person, error) {
	var after Person
	err := s.inTx(ctx, func(tx *sql.Tx) error {
		coordinators := 0
		if err := tx.QueryRowContext(ctx, `SELECT COUNT(*) FROM person WHERE role = 'coordinator' AND active AND password IS NOT NULL FOR UPDATE`).Scan(&coordinators); err != nil {
			return err
		}
		before, err := scanPerson(tx.QueryRowContext(ctx, personQuery+` WHERE p.id = ? FOR UPDATE`, id))
		if err != nil {
			return err
		}
		var what string
		if after, what, err = change(before, coordinators); err != nil {
			return err
		}
		if after.Role == before.Role && after.Active == before.Active && after.Email == before.Email {
			if after.Name == before.Name {
				return nil
			}
		} else {
			after.Epoch++
		}
		if _, err = tx.ExecContext(ctx, `UPDATE person SET name = ?, email = ?, role = ?, active = ?, epoch = ? WHERE id = ?`, after.Name, after.Email, after.Role, after.Active, after.Epoch, id); err != nil {
			return taken(err)
		}
		if after.Email != before.Email {
			if _, err := tx.ExecContext(ctx, `DELETE FROM one_time_link WHERE person_id = ? AND used_at IS NULL`, id); err != nil {
				return err
			}
		}
		return s.changedRows(ctx, tx, by, "person_changed", what, personTable, id)
	})
	return after, err
}

// EndSessions of a person, on every machine.
func (s *Store) EndSessions(ctx context.Context, id int64) error {
	_, err := s.db.ExecContext(ctx, `UPDATE person SET epoch = epoch + 1 WHERE id = ?`, id)
	return err
}

// Link to choose a password once.
type Link struct {
	Hash    [32]byte // SHA-256 of the secret in the address
	Person  int64
	Purpose string // First, Invitation or Reset
	Expires time.Time
}

// The purposes of a link.
const (
	First      = "first" // of the first coordinator, who also gives name and address
	Invitation = "invitation"
	Reset      = "reset"
)

// ErrNoLink says that a link is unknown, used, or too old.
var ErrNoLink = errors.New("this link has been used, has run out, or never was")

// AddLink keeps a link; earlier unused ones of the same person and purpose end: a reset that
// a stranger asked for ends no invitation.
func (s *Store) AddLink(ctx context.Context, l Link) error {
	return s.inTx(ctx, func(tx *sql.Tx) error { return addLink(ctx, tx, l) })
}

const linkQuery = `SELECT l.purpose, p.id, p.name, p.email, p.role, p.active, p.epoch, COALESCE(p.password, '')
	FROM one_time_link l JOIN person p ON p.id = l.person_id
	WHERE l.hash = ? AND l.used_at IS NULL AND l.expires_at > ? AND p.active`

func (s *Store) linked(ctx context.Context, q querier, hash [32]byte, lock string) (p Person, purpose string, err error) {
	err = q.QueryRowContext(ctx, linkQuery+lock, hash[:], s.now().UTC()).
		Scan(&purpose, &p.ID, &p.Name, &p.Email, &p.Role, &p.Active, &p.Epoch, &p.Password)
	if errors.Is(err, sql.ErrNoRows) {
		err = ErrNoLink
	}
	return p, purpose, err
}

// Linked gives whose link it is, without using it; [ErrNoLink].
func (s *Store) Linked(ctx context.Context, hash [32]byte) (Person, string, error) {
	return s.linked(ctx, s.db, hash, "")
}

// UseLink sets the password of the link's person, once; [ErrNoLink] for all who
// come after. The first coordinator also takes the name and address given.
func (s *Store) UseLink(ctx context.Context, hash [32]byte, password, name, email string) (Person, string, error) {
	var p Person
	var purpose string
	err := s.inTx(ctx, func(tx *sql.Tx) (err error) {
		if p, purpose, err = s.linked(ctx, tx, hash, " FOR UPDATE"); err != nil {
			return err
		}
		if purpose == First {
			p.Name, p.Email = name, email
		}
		if _, err := tx.ExecContext(ctx, `UPDATE one_time_link SET used_at = ? WHERE hash = ?`, s.now().UTC(), hash[:]); err != nil {
			return err
		}
		p.Epoch++
		_, err = tx.ExecContext(ctx, `UPDATE person SET name = ?, email = ?, password = ?, epoch = ? WHERE id = ?`, p.Name, p.Email, password, p.Epoch, p.ID)
		if err != nil {
			return taken(err)
		}
		return s.chained(ctx, tx, p.Name, "password_chosen", personTable, p.ID)
	})
	return p, purpose, err
}
