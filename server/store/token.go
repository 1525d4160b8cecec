package store

import (
	"context"
	"errors"
	"strings"
	"time"

	"github.com/google/uuid"
)

// Token lets a script in as an account.
type Token struct {
	ID        uuid.UUID  `db:"id"`
	Name      string     `db:"name"`
	Made      time.Time  `db:"made"`
	Used      *time.Time `db:"used"`
	Expires   time.Time  `db:"expires"`
	ReadsOnly bool       `db:"reads_only"`
}

// mostTokens is how many an account may have.
const mostTokens = 20

// AddToken keeps a token by the hash of its secret, for a while, and tells when it
// ends: by the database's clock, which later says whether it has ended.
func (s *Store) AddToken(ctx context.Context, account uuid.UUID, t Token, lasts time.Duration, hash []byte) (expires time.Time, err error) {
	if t.Name == "" {
		return expires, invalid("name the token after the script that will use it")
	}
	err = notFound(s.DB.GetContext(ctx, &expires, `insert into token (id, account_id, name, token_hash, expires, reads_only) select $1, $2, $3, $4, now() + make_interval(secs => $5), $6
		where (select count(*) from token where account_id = $2 and expires > now()) < $7 returning expires`, t.ID, account, t.Name, hash, lasts.Seconds(), t.ReadsOnly, mostTokens))
	if errors.Is(err, ErrNotFound) {
		return expires, invalid("you have 20 tokens: revoke one that is no longer used")
	}
	return expires, err
}

// Tokens are an account's, newest first.
func (s *Store) Tokens(ctx context.Context, account uuid.UUID) ([]Token, error) {
	out := []Token{}
	err := s.DB.SelectContext(ctx, &out, `select id, name, made, used, expires, reads_only from token where account_id = $1 order by made desc`, account)
	return out, err
}

// RevokeToken takes an account's token away.
func (s *Store) RevokeToken(ctx context.Context, account, id uuid.UUID) error {
	var gone uuid.UUID
	return notFound(s.DB.GetContext(ctx, &gone, `delete from token where account_id = $1 and id = $2 returning id`, account, id))
}

// TokenOf finds whose token a secret's hash is and whether it reads only, and notes
// its use, once a minute. A token that has ended is nobody's.
func (s *Store) TokenOf(ctx context.Context, hash []byte) (a Account, readsOnly bool, err error) {
	var row struct {
		Account
		ReadsOnly bool `db:"reads_only"`
		Stale     bool `db:"stale"`
	}
	err = s.DB.GetContext(ctx, &row, strings.Replace(selectAccount, " from account", ", k.reads_only, k.used is null or k.used < now() - interval '1 minute' as stale from account", 1)+
		` join token k on k.account_id = a.id where k.token_hash = $1 and k.expires > now()`, hash)
	if err != nil {
		return a, false, notFound(err)
	}
	if row.Stale {
		_, err = s.DB.ExecContext(ctx, `update token set used = now() where token_hash = $1`, hash)
	}
	return row.Account, row.ReadsOnly, err
}
