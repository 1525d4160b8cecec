package auth_test

import (
	"errors"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"neokinema/server/auth"
	"neokinema/server/postgres/pgtest"
	"neokinema/server/store"
)

func TestMain(m *testing.M) { pgtest.Main(m) }

func club(t *testing.T, password string) (*store.Store, store.Account) {
	t.Helper()
	s, err := store.Open(t.Context(), pgtest.URL(t))
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(s.Close)
	hash, err := auth.Hash(password)
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
	s, a := club(t, "a long password")
	for _, c := range []struct {
		login, password string
		right           bool
	}{{"tove", "a long password", true}, {" TOVE ", "a long password", true}, {"tove", "a long Password", false}, {"tove", "", false}, {"nobody", "a long password", false}} {
		got, err := auth.Check(t.Context(), s, c.login, c.password)
		if c.right != (err == nil) || c.right && got.ID != a.ID || !c.right && !errors.Is(err, auth.ErrWrong) {
			t.Errorf("%q with %q: %v, %v", c.login, c.password, got.Name, err)
		}
	}
	if strings.Contains(a.PasswordHash, "long") || !strings.HasPrefix(a.PasswordHash, "$2") {
		t.Errorf("the password is kept as %s", a.PasswordHash)
	}
	for _, bad := range []string{"", "123456789", strings.Repeat("x", 73)} {
		if _, err := auth.Hash(bad); err == nil {
			t.Errorf("a password of %d characters is taken", len(bad))
		}
	}
}

func TestASignInEndsWhenItShould(t *testing.T) {
	s, a := club(t, "a long password")
	cookie, err := auth.SignIn(t.Context(), s, a, true)
	if err != nil {
		t.Fatal(err)
	}
	if !cookie.Secure || !cookie.HttpOnly || cookie.SameSite != http.SameSiteStrictMode {
		t.Errorf("the cookie is %+v", cookie)
	}
	if who, err := auth.Who(with(cookie), s); err != nil || who.ID != a.ID {
		t.Errorf("signed in is %v: %v", who.Name, err)
	}
	forged := *cookie
	forged.Value = strings.Repeat("A", len(cookie.Value))
	for name, r := range map[string]*http.Request{"no cookie": with(nil), "a forged one": with(&forged)} {
		if _, err := auth.Who(r, s); !errors.Is(err, store.ErrNotFound) {
			t.Errorf("%s: %v", name, err)
		}
	}
	if _, err := s.DB.ExecContext(t.Context(), `update sign_in set expires = now() - interval '1 second'`); err != nil {
		t.Fatal(err)
	}
	if _, err := auth.Who(with(cookie), s); !errors.Is(err, store.ErrNotFound) {
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
	if _, err := auth.Who(with(again), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("after signing out: %v", err)
	}
}

func TestANewPasswordEndsEverySignIn(t *testing.T) {
	s, a := club(t, "a long password")
	cookie, err := auth.SignIn(t.Context(), s, a, false)
	if err != nil {
		t.Fatal(err)
	}
	hash, err := auth.Hash("another password")
	if err != nil {
		t.Fatal(err)
	}
	if err := s.SetPassword(t.Context(), "Tove", hash); err != nil {
		t.Fatal(err)
	}
	if _, err := auth.Who(with(cookie), s); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("the old sign-in: %v", err)
	}
	if _, err := auth.Check(t.Context(), s, "tove", "another password"); err != nil {
		t.Errorf("the new password: %v", err)
	}
	if err := s.SetPassword(t.Context(), "nobody", hash); !errors.Is(err, store.ErrNotFound) {
		t.Errorf("nobody's password: %v", err)
	}
}
