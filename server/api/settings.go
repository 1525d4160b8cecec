package api

import (
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/server/auth"
	"neokinema/server/store"
)

// owner is who asks, if they own the club.
func owner(c *echo.Context) (store.Account, error) {
	who := me(c)
	if who.Role != "owner" {
		return who, echo.NewHTTPError(http.StatusForbidden, "only the club's owner may do this")
	}
	return who, nil
}

// ListAccounts sends the club's accounts.
func (s *Server) ListAccounts(c *echo.Context) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	list, err := s.Store.Accounts(c.Request().Context(), who.ClubID)
	if err != nil {
		return err
	}
	out := []Account{}
	for _, a := range list {
		out = append(out, Account{Id: a.ID, Name: a.Name, Login: a.Login, Role: AccountRole(a.Role), Athletes: a.Athletes})
	}
	return c.JSON(http.StatusOK, out)
}

// AddAccount makes an account for a coach.
func (s *Server) AddAccount(c *echo.Context) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	var in NewAccount
	if err := read(c, &in); err != nil {
		return err
	}
	a := store.Account{ID: in.Id, ClubID: who.ClubID, Login: strings.ToLower(strings.TrimSpace(in.Login)), Name: strings.TrimSpace(in.Name), Role: "coach"}
	if a.Login == "" || a.Name == "" {
		return store.Invalid("give the coach's name and a sign-in name")
	}
	if a.PasswordHash, err = auth.Hash(c.Request().Context(), in.Password, a.Login, a.Name, who.Club); err != nil {
		return err
	}
	if err := s.Store.AddAccount(c.Request().Context(), a); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, Account{Id: a.ID, Name: a.Name, Login: a.Login, Role: AccountRole(a.Role)})
}

// EraseAccount erases an account with all that hangs on it.
func (s *Server) EraseAccount(c *echo.Context, id uuid.UUID) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	return done(c, s.Store.EraseAccount(c.Request().Context(), who, id, s.Tasks.Enqueue))
}

// GetAccountHoldings sends what would be erased with an account.
func (s *Server) GetAccountHoldings(c *echo.Context, id uuid.UUID) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	h, err := s.Store.AccountHoldings(c.Request().Context(), who, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, h)
}

// ResetPassword sets a new password for somebody of the club.
func (s *Server) ResetPassword(c *echo.Context, id uuid.UUID) error {
	who, err := owner(c)
	if err != nil {
		return err
	}
	var in NewPassword
	if err := read(c, &in); err != nil {
		return err
	}
	ctx := c.Request().Context()
	login, err := s.Store.LoginOf(ctx, who, id)
	if err != nil {
		return err
	}
	hash, err := auth.Hash(ctx, in.Password, login, who.Club)
	if err != nil {
		return err
	}
	return done(c, s.Store.SetPassword(ctx, login, hash))
}

// ChangePassword changes the own password, and signs in anew.
func (s *Server) ChangePassword(c *echo.Context) error {
	var in PasswordChange
	if err := read(c, &in); err != nil {
		return err
	}
	ctx, who := c.Request().Context(), me(c)
	if err := auth.Change(ctx, s.Store, who, in.Now, in.Password, c.RealIP()); err != nil {
		return err
	}
	cookie, err := auth.SignIn(ctx, s.Store, who, s.secure(c.Request()))
	if err != nil {
		return err
	}
	c.SetCookie(cookie)
	return c.NoContent(http.StatusNoContent)
}

// SignOutEverywhere ends all own sign-ins.
func (s *Server) SignOutEverywhere(c *echo.Context) error {
	return done(c, s.Store.SignOutAll(c.Request().Context(), me(c).ID))
}

// ListTokens sends the own tokens.
func (s *Server) ListTokens(c *echo.Context) error {
	list, err := s.Store.Tokens(c.Request().Context(), me(c).ID)
	if err != nil {
		return err
	}
	out := []Token{}
	for _, t := range list {
		out = append(out, Token{Id: t.ID, Name: t.Name, Made: t.Made, Used: t.Used, Expires: t.Expires, ReadsOnly: t.ReadsOnly})
	}
	return c.JSON(http.StatusOK, out)
}

// tokenDays is how long a token lasts unless it says otherwise, and mostTokenDays how
// long at most.
const (
	tokenDays     = 90
	mostTokenDays = 366
)

// AddToken makes a token and sends its secret, this once.
func (s *Server) AddToken(c *echo.Context) error {
	var in NewToken
	if err := read(c, &in); err != nil {
		return err
	}
	days := tokenDays
	if in.Days != nil {
		days = *in.Days
	}
	if days < 1 || days > mostTokenDays {
		return store.Invalid(fmt.Sprintf("a token lasts between 1 and %d days", mostTokenDays))
	}
	secret, hash := auth.Token()
	t := store.Token{ID: store.NewID(), Name: strings.TrimSpace(in.Name), ReadsOnly: in.ReadsOnly}
	expires, err := s.Store.AddToken(c.Request().Context(), me(c).ID, t, time.Duration(days)*24*time.Hour, hash)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, NewTokenAnswer{Id: t.ID, Name: t.Name, Secret: secret, Expires: expires})
}

// RevokeToken takes a token away.
func (s *Server) RevokeToken(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.RevokeToken(c.Request().Context(), me(c).ID, id))
}

// GetAthleteHoldings sends what would be erased with an athlete.
func (s *Server) GetAthleteHoldings(c *echo.Context, id uuid.UUID) error {
	h, err := s.Store.AthleteHoldings(c.Request().Context(), me(c).ID, id)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, h)
}

// EraseAthlete erases an athlete with all that hangs on them.
func (s *Server) EraseAthlete(c *echo.Context, id uuid.UUID) error {
	return done(c, s.Store.EraseAthlete(c.Request().Context(), me(c).ID, id, s.Tasks.Enqueue))
}

// GetDisk sends how much room films take and how much is left.
func (s *Server) GetDisk(c *echo.Context) error {
	r, err := s.Store.DiskUse(c.Request().Context())
	if err != nil {
		return err
	}
	free, err := s.Room.Free()
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, Disk{Films: r.Films, Pictures: r.Pictures, Database: r.Database, Reclaimable: r.Reclaimable, Free: free, Reserve: s.Room.Reserve, Low: free < s.Room.Reserve})
}
