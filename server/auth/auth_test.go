package auth_test

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync"
	"testing"
	"time"

	"neokinema/server/auth"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
	"neokinema/server/store/storetest"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func club(t *testing.T, password string) (*store.Store, store.Account) {
	t.Helper()
	s := storetest.Open(t)
	hash, err := auth.Hash(t.Context(), password)
	if err != nil {
		t.Fatal(err)
	}
	a := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: "Saltmere", Login: "tove", Name: "Tove", Role: "coach", PasswordHash: hash}
	if err := s.AddClub(t.Context(), a); err != nil {
		t.Fatal(err)
	}
	return s, a
}

func with(c *http.Cookie) *http.Request {
	r := httptest.NewRequest("GET", "/", nil)
	if c != nil {
		r.AddCookie(c)
	}
	return r
}

func TestPasswords(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	for _, c := range []struct {
		login, password string
		right           bool
	}{{"tove", "six loud hurdles", true}, {" TOVE ", "six loud hurdles", true}, {"tove", "six loud Hurdles", false}, {"tove", "", false}, {"nobody", "six loud hurdles", false}} {
		got, err := auth.Check(t.Context(), s, c.login, c.password, "192.0.2.1")
		if c.right != (err == nil) || c.right && got.ID != a.ID || !c.right && !errors.Is(err, auth.ErrWrong) {
			t.Errorf("%q with %q: %v, %v", c.login, c.password, got.Name, err)
		}
	}
	if strings.Contains(a.PasswordHash, "long") || !strings.HasPrefix(a.PasswordHash, "$2") {
		t.Errorf("the password is kept as %s", a.PasswordHash)
	}
	for _, bad := range []string{"", "123456789", strings.Repeat("x", 73), "1234567890", "password123", "qwertyuiop", "neokinema1", "aaaaaaaaaaaa", strings.Repeat("ä", 40)} {
		if _, err := auth.Hash(t.Context(), bad); err == nil {
			t.Errorf("a password of %d characters is taken", len(bad))
		}
	}
}

func TestASignInEndsWhenItShould(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	cookie, err := auth.SignIn(t.Context(), s, a, true)
	if err != nil {
		t.Fatal(err)
	}
	if !cookie.Secure || !cookie.HttpOnly || cookie.SameSite != http.SameSiteStrictMode {
		t.Errorf("the cookie is %+v", cookie)
	}
	if who, _, err := auth.Who(with(cookie), s); err != nil || who.ID != a.ID {
		t.Errorf("signed in is %v: %v", who.Name, err)
	}
	forged := *cookie
	forged.Value = strings.Repeat("A", len(cookie.Value))
	for name, r := range map[string]*http.Request{"no cookie": with(nil), "a forged one": with(&forged)} {
		if _, _, err := auth.Who(r, s); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := s.DB.ExecContext(t.Context(), `update sign_in set expires = now() - interval '1 second'`); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(with(cookie), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("an expired sign-in: %v", err)
	}

	again, err := auth.SignIn(t.Context(), s, a, false)
	if err != nil {
		t.Fatal(err)
	}
	gone, err := auth.SignOut(with(again), s)
	if err != nil || gone.MaxAge >= 0 {
		t.Errorf("signing out gives %+v: %v", gone, err)
	}
	if _, _, err := auth.Who(with(again), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after signing out: %v", err)
	}
}

func TestANewPasswordEndsEverySignIn(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	cookie, err := auth.SignIn(t.Context(), s, a, false)
	if err != nil {
		t.Fatal(err)
	}
	hash, err := auth.Hash(t.Context(), "quiet gravel lane")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SetPassword(t.Context(), "Tove", hash); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(with(cookie), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the old sign-in: %v", err)
	}
	if _, err := auth.Check(t.Context(), s, "tove", "quiet gravel lane", ""); err != nil {
		t.Errorf("the new password: %v", err)
	}
	if err := s.SetPassword(t.Context(), "nobody", hash); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nobody's password: %v", err)
	}
}

// Whoever guesses has to wait; the right password does not help while waiting.
func TestGuessingIsSlowedDown(t *testing.T) {
	s, _ := club(t, "six loud hurdles")
	for i := range 8 {
		if _, err := auth.Check(t.Context(), s, "tove", "guess", "192.0.2.1"); !errors.Is(err, auth.ErrWrong) {
			t.Fatalf("guess %d: %v", i, err)
		}
	}
	if _, err := auth.Check(t.Context(), s, "TOVE", "six loud hurdles", "192.0.2.7"); !errors.Is(err, auth.ErrTooMany) {
		t.Errorf("after eight guesses: %v", err)
	}
	for i := range 40 {
		login := fmt.Sprint("somebody", i)
		if ok, err := s.Guess(t.Context(), login, "192.0.2.9", time.Now().Add(-time.Hour), 8, 40); err != nil || !ok {
			t.Fatal(ok, err)
		}
	}
	if _, err := auth.Check(t.Context(), s, "somebody", "guess", "192.0.2.9"); !errors.Is(err, auth.ErrTooMany) {
		t.Errorf("after forty names from one address: %v", err)
	}
	if _, err := s.DB.ExecContext(t.Context(), `update sign_in_miss set at = at - interval '20 minutes'`); err != nil {
		t.Fatal(err)
	}
	if _, err := auth.Check(t.Context(), s, "tove", "six loud hurdles", "192.0.2.1"); err != nil {
		t.Errorf("after a quarter of an hour: %v", err)
	}
}

func TestAChangedPasswordEndsSignIns(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	cookie, err := auth.SignIn(t.Context(), s, a, false)
	if err != nil {
		t.Fatal(err)
	}
	for _, c := range [][2]string{{"quiet gravel lane", "seven wet ropes"}, {"six loud hurdles", "short"}} {
		if err := auth.Change(t.Context(), s, a, c[0], c[1], "192.0.2.1"); err == nil {
			t.Errorf("%q changes it to %q", c[0], c[1])
		}
	}
	if _, _, err := auth.Who(with(cookie), s); err != nil {
		t.Errorf("a refused change ends the sign-in: %v", err)
	}
	if err := auth.Change(t.Context(), s, a, "six loud hurdles", "seven wet ropes", "192.0.2.1"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(with(cookie), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after the change the old sign-in is %v", err)
	}
	if _, err := auth.Check(t.Context(), s, "tove", "seven wet ropes", ""); err != nil {
		t.Errorf("the new password: %v", err)
	}
}

func TestTokensLetScriptsIn(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	secret, hash := auth.Token()
	id := store.NewID()
	if _, err := s.AddToken(t.Context(), a.ID, store.Token{ID: id, Name: "timing script"}, time.Hour, hash); err != nil {
		t.Fatal(err)
	}
	bearer := func(secret string) *http.Request {
		r := with(nil)
		r.Header.Set("Authorization", "Bearer "+secret)
		return r
	}
	if got, _, err := auth.Who(bearer(secret), s); err != nil || got.ID != a.ID {
		t.Errorf("with its token: %v, %v", got.Name, err)
	}
	if _, _, err := auth.Who(bearer(secret[1:]), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("with a guess: %v", err)
	}
	list, err := s.Tokens(t.Context(), a.ID)
	if err != nil || len(list) != 1 || list[0].Used == nil {
		t.Errorf("the list: %+v, %v", list, err)
	}
	if err := s.RevokeToken(t.Context(), store.NewID(), id); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("somebody else revokes it: %v", err)
	}
	if err := s.RevokeToken(t.Context(), a.ID, id); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(bearer(secret), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after it was revoked: %v", err)
	}
}

// Guesses that come at once are counted like those that come one after the other.
func TestGuessesAtOnceAreCounted(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	tried := func(try func() error) (wrong, refused int) {
		var mu sync.Mutex
		var wait sync.WaitGroup
		for range 36 {
			wait.Go(func() {
				err := try()
				mu.Lock()
				defer mu.Unlock()
				switch {
				case errors.Is(err, auth.ErrTooMany):
					refused++
				case err != nil:
					wrong++
				}
			})
		}
		wait.Wait()
		return wrong, refused
	}
	wrong, refused := tried(func() error {
		_, err := auth.Check(t.Context(), s, "tove", "guess", "192.0.2.1")
		return err
	})
	if wrong > 8 || wrong+refused != 36 {
		t.Errorf("%d of 36 guesses at once were tried, %d refused", wrong, refused)
	}
	if _, err := s.DB.ExecContext(t.Context(), `delete from sign_in_miss`); err != nil {
		t.Fatal(err)
	}
	wrong, refused = tried(func() error {
		return auth.Change(t.Context(), s, a, "guess", "seven wet ropes", "192.0.2.1")
	})
	if wrong > 8 || wrong+refused != 36 {
		t.Errorf("%d of 36 guesses of the password to change were tried, %d refused", wrong, refused)
	}
	if _, err := s.DB.ExecContext(t.Context(), `delete from sign_in_miss`); err != nil {
		t.Fatal(err)
	}
	for range 20 { // the right one is no guess
		if _, err := auth.Check(t.Context(), s, "tove", "six loud hurdles", "192.0.2.1"); err != nil {
			t.Fatal(err)
		}
	}
	long := strings.Repeat("x", 1<<20)
	if _, err := auth.Check(t.Context(), s, long, "guess", "192.0.2.1"); !errors.Is(err, auth.ErrWrong) {
		t.Errorf("a name of a megabyte: %v", err)
	}
	var longest int
	if err := s.DB.GetContext(t.Context(), &longest, `select coalesce(max(length(login)), 0) from sign_in_miss`); err != nil || longest > 100 {
		t.Errorf("a name of %d characters is stored, %v", longest, err)
	}
}

// A token ends by itself, with a new password, and when one signs out everywhere.
func TestTokensEnd(t *testing.T) {
	s, a := club(t, "six loud hurdles")
	with := func(lasts time.Duration, readsOnly bool) *http.Request {
		secret, hash := auth.Token()
		if _, err := s.AddToken(t.Context(), a.ID, store.Token{ID: store.NewID(), Name: "script", ReadsOnly: readsOnly}, lasts, hash); err != nil {
			t.Fatal(err)
		}
		r := httptest.NewRequest("GET", "/", nil)
		r.Header.Set("Authorization", "Bearer "+secret)
		return r
	}
	if _, _, err := auth.Who(with(-time.Second, false), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("one that has ended: %v", err)
	}
	if _, how, err := auth.Who(with(time.Hour, true), s); err != nil || how != auth.ByReadingToken {
		t.Errorf("one that reads only is a %q: %v", how, err)
	}
	r := with(time.Hour, false)
	if _, how, err := auth.Who(r, s); err != nil || how != auth.ByToken {
		t.Errorf("a token is a %q: %v", how, err)
	}
	if err := s.SignOutAll(t.Context(), a.ID); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(r, s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after signing out everywhere: %v", err)
	}
	r = with(time.Hour, false)
	if err := s.SetPassword(t.Context(), "tove", "hash"); err != nil {
		t.Fatal(err)
	}
	if _, _, err := auth.Who(r, s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after a new password: %v", err)
	}
}
