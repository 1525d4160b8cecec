package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jmoiron/sqlx"
)

// AlreadyExists says that an id belongs to something else: a request with it was not, and
// never will be, stored.
type AlreadyExists struct{ Kind string }

func (t AlreadyExists) Error() string {
	return "this id belongs to another " + t.Kind + " already: nothing was stored; make a new id for what is new"
}

// once runs a creation the first time that its id comes. The same content sent
// again is known and changes nothing; anything else under the same id, or an id
// that something older has, is Taken.
func once(ctx context.Context, tx *sqlx.Tx, kind string, id, viewer uuid.UUID, content any, make func() error) error {
	data, err := json.Marshal(content)
	if err != nil {
		return err
	}
	digest := sha256.Sum256(data)
	r, err := tx.ExecContext(ctx, `insert into creation (id, kind, account_id, digest) values ($1, $2, $3, $4) on conflict (kind, id) do nothing`, id, kind, viewer, digest[:])
	if err != nil {
		return err
	}
	if n, err := r.RowsAffected(); err != nil {
		return err
	} else if n == 0 {
		return known(ctx, tx, kind, id, viewer, digest[:])
	}
	if err := make(); isUniqueViolation(err) {
		return AlreadyExists{kind}
	} else if err != nil {
		return err
	}
	return nil
}

// known tells a request that was answered before from another one with its id.
func known(ctx context.Context, tx *sqlx.Tx, kind string, id, viewer uuid.UUID, digest []byte) error {
	var was struct {
		Account *uuid.UUID `db:"account_id"`
		Digest  []byte     `db:"digest"`
	}
	if err := tx.GetContext(ctx, &was, `select account_id, digest from creation where kind = $1 and id = $2`, kind, id); err != nil {
		return err
	}
	if was.Account == nil || *was.Account != viewer || !bytes.Equal(was.Digest, digest) {
		return AlreadyExists{kind}
	}
	return nil
}

// remembered is how long a creation is known by its id: far longer than any device
// keeps what it could not send.
const remembered = 400 * 24 * time.Hour

// ForgetCreations drops what no device will send again.
func (s *Store) ForgetCreations(ctx context.Context, now time.Time) error {
	_, err := s.DB.ExecContext(ctx, `delete from creation where made < $1`, now.Add(-remembered))
	return err
}
