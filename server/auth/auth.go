// Package auth signs people in: passwords by bcrypt, sign-ins kept on the
// server, and a cookie that no other site can use.
package auth

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"net/http"
	"strings"
	"time"

	"golang.org/x/crypto/bcrypt"

	"neokinema/server/store"
)

// ErrWrong is returned for a name and password that do not fit.
var ErrWrong = errors.New("name or password is wrong")

// ErrTooMany is returned after too many of those.
var ErrTooMany = errors.New("too many sign-ins failed: wait a quarter of an hour, or ask the club's owner for a new password")

const (
	cookie  = "neokinema"
	lasting = 30 * 24 * time.Hour
	// shortest is the least length of a password.
	shortest = 10
	// What may fail before a name, or an address, has to wait.
	mostMisses, mostFrom = 8, 40
	waiting              = 15 * time.Minute
)

// Hash turns a password into what is stored.
func Hash(password string) (string, error) {
	if len(password) < shortest {
		return "", store.Invalid("a password has 10 characters or more")
	}
	h, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	if errors.Is(err, bcrypt.ErrPasswordTooLong) {
		return "", store.Invalid("a password has 72 characters at most")
	}
	return string(h), err
}

// nobody's password is compared when a name is unknown, so that both answers
// take the same time.
var nobody, _ = bcrypt.GenerateFromPassword([]byte("nobody at all"), bcrypt.DefaultCost)

// Check finds the account of a name and password, given from an address.
func Check(ctx context.Context, s *store.Store, login, password, address string) (store.Account, error) {
	login = strings.TrimSpace(login)
	byLogin, byAddress, err := s.Misses(ctx, login, address, time.Now().Add(-waiting))
	if err != nil {
		return store.Account{}, err
	}
	if byLogin >= mostMisses || byAddress >= mostFrom {
		return store.Account{}, ErrTooMany
	}
	a, err := s.AccountByLogin(ctx, login)
	known := []byte(a.PasswordHash)
	if errors.Is(err, store.ErrNotFound) {
		known = nobody
	} else if err != nil {
		return store.Account{}, err
	}
	if bcrypt.CompareHashAndPassword(known, []byte(password)) == nil && err == nil {
		return a, nil
	}
	if err := s.Missed(ctx, login, address); err != nil {
		return store.Account{}, err
	}
	return store.Account{}, ErrWrong
}

// Change sets a new password for somebody who knows the old one.
func Change(ctx context.Context, s *store.Store, a store.Account, now, next string) error {
	if bcrypt.CompareHashAndPassword([]byte(a.PasswordHash), []byte(now)) != nil {
		return store.Invalid("the password you have now is another one")
	}
	hash, err := Hash(next)
	if err != nil {
		return err
	}
	return s.SetPassword(ctx, a.Login, hash)
}

// Token makes a secret and the hash under which it is kept.
func Token() (secret string, hash []byte) {
	secret = rand.Text() + rand.Text()
	return secret, TokenHash(secret)
}

// TokenHash is how a secret is kept.
func TokenHash(secret string) []byte {
	h := sha256.Sum256([]byte(secret))
	return h[:]
}

// SignIn starts a sign-in and gives its cookie.
func SignIn(ctx context.Context, s *store.Store, a store.Account, secure bool) (*http.Cookie, error) {
	secret, hash := Token()
	until := time.Now().Add(lasting)
	if err := s.SignIn(ctx, hash, a.ID, until); err != nil {
		return nil, err
	}
	return &http.Cookie{Name: cookie, Value: secret, Path: "/", Expires: until, HttpOnly: true, Secure: secure, SameSite: http.SameSiteStrictMode}, nil
}

// Who is signed in with a request, by a cookie or by a script's token;
// store.ErrNotFound when nobody is.
func Who(r *http.Request, s *store.Store) (store.Account, error) {
	if secret, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return s.TokenOf(r.Context(), TokenHash(strings.TrimSpace(secret)))
	}
	c, err := r.Cookie(cookie)
	if err != nil {
		return store.Account{}, store.ErrNotFound
	}
	return s.SignedIn(r.Context(), TokenHash(c.Value))
}

// SignOut ends a request's sign-in and gives the cookie that clears it.
func SignOut(r *http.Request, s *store.Store) (*http.Cookie, error) {
	gone := &http.Cookie{Name: cookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	c, err := r.Cookie(cookie)
	if err != nil {
		return gone, nil
	}
	return gone, s.SignOut(r.Context(), TokenHash(c.Value))
}
