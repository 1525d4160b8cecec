package store

import (
	"context"
	"errors"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jmoiron/sqlx"
)

// Account is somebody who signs in.
type Account struct {
	ID           uuid.UUID `db:"id"`
	ClubID       uuid.UUID `db:"club_id"`
	Club         string    `db:"club"`
	Login        string    `db:"login"`
	Name         string    `db:"name"`
	Role         string    `db:"role"`
	PasswordHash string    `db:"password_hash"`
	Dial         string    `db:"dial"` // how directions are read
}

const selectAccount = `select a.id, a.club_id, c.name as club, a.login, a.name, a.role, a.password_hash, a.dial from account a join club c on c.id = a.club_id`

// AddClub makes a club with its first account.
func (s *Store) AddClub(ctx context.Context, a Account) error {
	return s.within(ctx, func(tx *sqlx.Tx) error { return addClub(ctx, tx, a) })
}

func addClub(ctx context.Context, tx *sqlx.Tx, a Account) error {
	if _, err := tx.ExecContext(ctx, `insert into club (id, name) values ($1, $2)`, a.ClubID, a.Club); err != nil {
		return err
	}
	_, err := tx.NamedExecContext(ctx, `insert into account (id, club_id, login, name, role, password_hash)
		values (:id, :club_id, :login, :name, :role, :password_hash)`, a)
	if isUniqueViolation(err) {
		return invalid("the sign-in name %q is taken", a.Login)
	}
	return err
}

// AccountByLogin finds an account by its sign-in name.
func (s *Store) AccountByLogin(ctx context.Context, login string) (Account, error) {
	var a Account
	err := s.DB.GetContext(ctx, &a, selectAccount+` where a.login = lower($1)`, login)
	return a, notFound(err)
}

// HasAccounts reports whether anybody can sign in yet.
func (s *Store) HasAccounts(ctx context.Context) (bool, error) {
	var has bool
	err := s.DB.GetContext(ctx, &has, `select exists (select from account)`)
	return has, err
}

// AddAccount makes an account in a club that is there.
func (s *Store) AddAccount(ctx context.Context, a Account) error {
	_, err := s.DB.NamedExecContext(ctx, `insert into account (id, club_id, login, name, role, password_hash)
		values (:id, :club_id, :login, :name, :role, :password_hash)`, a)
	var pg *pgconn.PgError
	switch {
	case errors.As(err, &pg) && pg.ConstraintName == "account_pkey":
		return AlreadyExists{"account"}
	case isUniqueViolation(err):
		return invalid("the sign-in name %q is taken", a.Login)
	}
	return err
}

// AccountLine is an account in a list.
type AccountLine struct {
	Account
	Athletes int `db:"athletes"`
}

// Accounts are a club's, by name.
func (s *Store) Accounts(ctx context.Context, club uuid.UUID) ([]AccountLine, error) {
	out := []AccountLine{}
	err := s.DB.SelectContext(ctx, &out, `select a.id, a.club_id, c.name as club, a.login, a.name, a.role, a.password_hash,
			(select count(*) from athlete where coach_id = a.id) as athletes
		from account a join club c on c.id = a.club_id where a.club_id = $1 order by a.name, a.id`, club)
	return out, err
}

// LoginOf is the sign-in name of an account of the owner's club.
func (s *Store) LoginOf(ctx context.Context, owner Account, account uuid.UUID) (string, error) {
	var login string
	err := s.DB.GetContext(ctx, &login, `select login from account where id = $1 and club_id = $2`, account, owner.ClubID)
	return login, notFound(err)
}

// SignOutAll ends all sign-ins of an account, and its tokens.
func (s *Store) SignOutAll(ctx context.Context, account uuid.UUID) error {
	return s.within(ctx, func(tx *sqlx.Tx) error { return signOutAll(ctx, tx, account) })
}

func signOutAll(ctx context.Context, tx *sqlx.Tx, account uuid.UUID) error {
	for _, table := range []string{"sign_in", "token"} {
		if _, err := tx.ExecContext(ctx, `delete from `+table+` where account_id = $1`, account); err != nil {
			return err
		}
	}
	return nil
}

// Guess counts a password that is about to be tried, for a name and from an address,
// unless too many were tried since a time: then it reports false. Guesses that come
// at once are counted one after the other. One that was right is taken back by
// GuessedRight.
func (s *Store) Guess(ctx context.Context, login, address string, since time.Time, mostByLogin, mostByAddress int) (ok bool, err error) {
	err = s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `select pg_advisory_xact_lock(hashtextextended('guess ' || lower($1), 0)), pg_advisory_xact_lock(hashtextextended('guess from ' || $2, 0))`, login, address); err != nil {
			return err
		}
		var n struct{ Login, Address int }
		if err := tx.GetContext(ctx, &n, `select count(*) filter (where login = lower($1)) as login, count(*) filter (where address = $2) as address from sign_in_miss where at > $3`, login, address, since); err != nil {
			return err
		}
		if ok = n.Login < mostByLogin && n.Address < mostByAddress; !ok {
			return nil
		}
		_, err := tx.ExecContext(ctx, `with old as (delete from sign_in_miss where at < now() - interval '1 day') insert into sign_in_miss (login, address) values (lower($1), $2)`, login, address)
		return err
	})
	return ok && err == nil, err
}

// GuessedRight takes the last guess for a name from an address back.
func (s *Store) GuessedRight(ctx context.Context, login, address string) error {
	_, err := s.DB.ExecContext(ctx, `delete from sign_in_miss where ctid = (select ctid from sign_in_miss where login = lower($1) and address = $2 order by at desc limit 1)`, login, address)
	return err
}

// SetPassword changes an account's password and ends its sign-ins and tokens.
func (s *Store) SetPassword(ctx context.Context, login, hash string) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var id uuid.UUID
		if err := tx.GetContext(ctx, &id, `update account set password_hash = $2 where login = lower($1) returning id`, login, hash); err != nil {
			return notFound(err)
		}
		return signOutAll(ctx, tx, id)
	})
}

// SignIn keeps a sign-in by the hash of its token.
func (s *Store) SignIn(ctx context.Context, tokenHash []byte, account uuid.UUID, expires time.Time) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `delete from sign_in where expires < now()`); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `insert into sign_in (token_hash, account_id, expires) values ($1, $2, $3)`, tokenHash, account, expires)
		return err
	})
}

// SignedIn finds whose sign-in a token hash is.
func (s *Store) SignedIn(ctx context.Context, tokenHash []byte) (Account, error) {
	var a Account
	err := s.Pool.QueryRow(ctx, selectAccount+` join sign_in i on i.account_id = a.id where i.token_hash = $1 and i.expires > now()`, tokenHash).
		Scan(&a.ID, &a.ClubID, &a.Club, &a.Login, &a.Name, &a.Role, &a.PasswordHash, &a.Dial)
	return a, notFound(err)
}

// SignOut forgets a sign-in.
func (s *Store) SignOut(ctx context.Context, tokenHash []byte) error {
	_, err := s.DB.ExecContext(ctx, `delete from sign_in where token_hash = $1`, tokenHash)
	return err
}

// OfferOwner keeps the hash of the one-time link with which the first owner
// makes their account, in place of any earlier one.
func (s *Store) OfferOwner(ctx context.Context, tokenHash []byte) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		if _, err := tx.ExecContext(ctx, `delete from owner_link`); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `insert into owner_link (token_hash) values ($1)`, tokenHash)
		return err
	})
}

// OwnerOffered reports whether a one-time link is the one that was offered.
func (s *Store) OwnerOffered(ctx context.Context, tokenHash []byte) (bool, error) {
	var is bool
	return is, s.DB.GetContext(ctx, &is, `select exists (select from owner_link where token_hash = $1)`, tokenHash)
}

// TakeOwner uses the one-time link up and makes the club's owner.
func (s *Store) TakeOwner(ctx context.Context, tokenHash []byte, owner Account) error {
	return s.within(ctx, func(tx *sqlx.Tx) error {
		var used []byte
		if err := tx.GetContext(ctx, &used, `delete from owner_link where token_hash = $1 returning token_hash`, tokenHash); err != nil {
			return notFound(err)
		}
		return addClub(ctx, tx, owner)
	})
}

// Loaded reports whether something was loaded before.
func (s *Store) Loaded(ctx context.Context, name string) (bool, error) {
	var has bool
	err := s.DB.GetContext(ctx, &has, `select exists (select from loaded where name = $1)`, name)
	return has, err
}

// SetLoaded notes that something is loaded.
func (s *Store) SetLoaded(ctx context.Context, name string) error {
	_, err := s.DB.ExecContext(ctx, `insert into loaded (name) values ($1) on conflict do nothing`, name)
	return err
}

// SetDial keeps how an account reads directions: degrees, clock-a or clock-b.
func (s *Store) SetDial(ctx context.Context, id uuid.UUID, dial string) error {
	if dial != "degrees" && dial != "clock-a" && dial != "clock-b" {
		return invalid("directions are read in degrees, or off clock A or clock B")
	}
	_, err := s.DB.ExecContext(ctx, `update account set dial = $2 where id = $1`, id, dial)
	return err
}
