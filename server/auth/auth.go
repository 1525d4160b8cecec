// Package auth signs people in: passwords by bcrypt, sign-ins kept on the
// server, and a cookie that no other site can use.
package auth

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"net/http"
	"runtime"
	"strings"
	"time"

	"github.com/ccojocar/zxcvbn-go"
	"golang.org/x/crypto/bcrypt"

	"neokinema/server/store"
)

// ErrWrong is returned for a name and password that do not fit.
var ErrWrong = errors.New("name or password is wrong")

// ErrBusy is returned when too many passwords are being checked.
var ErrBusy = errors.New("too many people sign in at this moment: try again in a few seconds")

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

// most is how long a password may be, bytes: what bcrypt takes.
const most = 72

// weakest is the least score of a password, 0 to 4, as zxcvbn guesses it: 2 stands
// for more than a hundred million guesses (Wheeler 2016).
const weakest = 2

// Hash turns a password into what is stored. About are words that somebody who
// guesses would try first: names, the club.
func Hash(ctx context.Context, password string, about ...string) (string, error) {
	switch {
	case len([]rune(password)) < shortest:
		return "", store.Invalid("a password has 10 characters or more")
	case len(password) > most:
		return "", store.Invalid("a password has 72 characters at most")
	case zxcvbn.PasswordStrength(strings.ToLower(password), append(about, "neokinema")).Score < weakest:
		return "", store.Invalid("this password is guessed too soon: take three or four words that do not belong together")
	}
	done, err := work(ctx)
	if err != nil {
		return "", err
	}
	defer done()
	h, err := bcrypt.GenerateFromPassword([]byte(password), bcrypt.DefaultCost)
	return string(h), err
}

// works bounds how many passwords are hashed at once: each takes a core for a while,
// and somebody else may need one.
var works = make(chan struct{}, max(1, runtime.GOMAXPROCS(0)/2))

// patience is how long a password may wait to be hashed.
const patience = 5 * time.Second

// work waits for its turn.
func work(ctx context.Context) (done func(), err error) {
	late := time.NewTimer(patience)
	defer late.Stop()
	select {
	case works <- struct{}{}:
		return func() { <-works }, nil
	case <-late.C:
		return nil, ErrBusy
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// nobody's password is compared when a name is unknown, so that both answers
// take the same time.
var nobody, _ = bcrypt.GenerateFromPassword([]byte("nobody at all"), bcrypt.DefaultCost)

// longest is how long a sign-in name may be, bytes.
const longest = 100

// Check finds the account of a name and password, given from an address.
func Check(ctx context.Context, s *store.Store, login, password, address string) (store.Account, error) {
	login = strings.TrimSpace(login)
	if len(login) > longest {
		return store.Account{}, ErrWrong
	}
	a, err := s.AccountByLogin(ctx, login)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return store.Account{}, err
	}
	known := []byte(a.PasswordHash)
	if err != nil {
		known = nobody
	}
	if err := guess(ctx, s, login, address, known, password); err != nil {
		return store.Account{}, err
	}
	if err != nil {
		return store.Account{}, ErrWrong
	}
	return a, nil
}

// guess compares a password, unless too many were tried lately.
func guess(ctx context.Context, s *store.Store, login, address string, known []byte, password string) error {
	ok, err := s.Guess(ctx, login, address, time.Now().Add(-waiting), mostMisses, mostFrom)
	if err != nil {
		return err
	}
	if !ok {
		return ErrTooMany
	}
	done, err := work(ctx)
	if err != nil {
		return errors.Join(err, s.GuessedRight(context.WithoutCancel(ctx), login, address))
	}
	defer done()
	if len(password) > most || bcrypt.CompareHashAndPassword(known, []byte(password)) != nil {
		return ErrWrong
	}
	return s.GuessedRight(ctx, login, address)
}

// Change sets a new password for somebody who knows the old one. It is guessed no
// more often than at the door.
func Change(ctx context.Context, s *store.Store, a store.Account, now, next, address string) error {
	switch err := guess(ctx, s, a.Login, address, []byte(a.PasswordHash), now); {
	case errors.Is(err, ErrWrong):
		return store.Invalid("the password you have now is another one")
	case err != nil:
		return err
	}
	hash, err := Hash(ctx, next, a.Login, a.Name, a.Club)
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

// Ticket is the secret that a request brings, a script's token or a cookie's; empty:
// none.
func Ticket(r *http.Request) string {
	if secret, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); ok {
		return strings.TrimSpace(secret)
	}
	if c, err := r.Cookie(cookie); err == nil {
		return c.Value
	}
	return ""
}

// Who is signed in with a request, by a cookie or by a script's token;
// store.ErrNotFound when nobody is. How tells what a token may.
func Who(r *http.Request, s *store.Store) (a store.Account, how Way, err error) {
	ticket := Ticket(r)
	if ticket == "" || len(ticket) > longest {
		return a, "", store.ErrNotFound
	}
	if r.Header.Get("Authorization") == "" {
		a, err = s.SignedIn(r.Context(), TokenHash(ticket))
		return a, ByCookie, err
	}
	a, readsOnly, err := s.TokenOf(r.Context(), TokenHash(ticket))
	if readsOnly {
		return a, ByReadingToken, err
	}
	return a, ByToken, err
}

// Way is how somebody is signed in.
type Way string

const (
	ByCookie       Way = "cookie"        // a person
	ByToken        Way = "token"         // a script; it may not change who may what
	ByReadingToken Way = "reading token" // a script that changes nothing
)

// SignOut ends a request's sign-in and gives the cookie that clears it.
func SignOut(r *http.Request, s *store.Store) (*http.Cookie, error) {
	gone := &http.Cookie{Name: cookie, Path: "/", MaxAge: -1, HttpOnly: true, SameSite: http.SameSiteStrictMode}
	c, err := r.Cookie(cookie)
	if err != nil {
		return gone, nil
	}
	return gone, s.SignOut(r.Context(), TokenHash(c.Value))
}
