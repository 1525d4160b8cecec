package store

import (
	"context"
	"time"

	"github.com/google/uuid"
)

// Token lets a script in as an account.
type Token struct {
	ID   uuid.UUID  `db:"id"`
	Name string     `db:"name"`
	Made time.Time  `db:"made"`
	Used *time.Time `db:"used"`
}

// AddToken keeps a token by the hash of its secret.
func (s *Store) AddToken(ctx context.Context, account, id uuid.UUID, name string, hash []byte) error {
	if name == "" {
		return invalid("name the token after the script that will use it")
	}
	_, err := s.DB.ExecContext(ctx, `insert into token (id, account_id, name, token_hash) values ($1, $2, $3, $4)`, id, account, name, hash)
	return err
}

// Tokens are an account's, newest first.
func (s *Store) Tokens(ctx context.Context, account uuid.UUID) ([]Token, error) {
	out := []Token{}
	err := s.DB.SelectContext(ctx, &out, `select id, name, made, used from token where account_id = $1 order by made desc`, account)
	return out, err
}

// RevokeToken takes an account's token away.
func (s *Store) RevokeToken(ctx context.Context, account, id uuid.UUID) error {
	var gone uuid.UUID
	return missing(s.DB.GetContext(ctx, &gone, `delete from token where account_id = $1 and id = $2 returning id`, account, id))
}

// TokenOf finds whose token a secret's hash is, and notes its use.
func (s *Store) TokenOf(ctx context.Context, hash []byte) (Account, error) {
	var a Account
	err := s.DB.GetContext(ctx, &a, `with used as (update token set used = now() where token_hash = $1 returning account_id)
		`+selectAccount+` join used on used.account_id = a.id`, hash)
	return a, missing(err)
}
