package api

import (
	"cmp"
	"fmt"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"
	types "github.com/oapi-codegen/runtime/types"

	"neokinema/core/playbook"
	"neokinema/server/auth"
	"neokinema/server/coaching"
	"neokinema/server/detect"
	"neokinema/server/store"
)

func (s *Server) state(c *echo.Context, a store.Account) error {
	has, err := s.Store.HasAccounts(c.Request().Context())
	if err != nil {
		return err
	}
	out := State{Demo: s.allowsDemo(c.Request()), SetUp: has, Bodies: new(detect.Missing(s.Models) == "")}
	if a.Name != "" {
		dial := StateDial(cmp.Or(a.Dial, "degrees"))
		out.Name, out.Club, out.Role, out.Dial = &a.Name, &a.Club, &a.Role, &dial
	}
	return c.JSON(http.StatusOK, out)
}

// GetState tells who is signed in.
func (s *Server) GetState(c *echo.Context) error { return s.state(c, me(c)) }

// SignIn checks a name and password.
func (s *Server) SignIn(c *echo.Context) error {
	var in Credentials
	if err := read(c, &in); err != nil {
		return err
	}
	a, err := auth.Check(c.Request().Context(), s.Store, in.Name, in.Password, c.RealIP())
	if err != nil {
		return err
	}
	return s.enter(c, a)
}

// SignInDemo signs the demo coach in.
func (s *Server) SignInDemo(c *echo.Context) error {
	if !s.allowsDemo(c.Request()) {
		return store.ErrNotFound
	}
	a, err := s.Store.AccountByLogin(c.Request().Context(), s.DemoLogin)
	if err != nil {
		return err
	}
	return s.enter(c, a)
}

// SignInOwner makes the first owner's account.
func (s *Server) SignInOwner(c *echo.Context) error {
	var in Owner
	if err := read(c, &in); err != nil {
		return err
	}
	login := strings.ToLower(strings.TrimSpace(in.Login))
	if login == "" || strings.TrimSpace(in.Name) == "" || strings.TrimSpace(in.Club) == "" {
		return store.Invalid("give the club, your name and a sign-in name")
	}
	ctx, link := c.Request().Context(), auth.TokenHash(in.Link)
	if is, err := s.Store.OwnerOffered(ctx, link); err != nil || !is { // before anything is spent on it
		return cmp.Or(err, store.ErrNotFound)
	}
	hash, err := auth.Hash(ctx, in.Password, login, in.Name, in.Club)
	if err != nil {
		return err
	}
	a := store.Account{ID: store.NewID(), ClubID: store.NewID(), Club: in.Club, Login: login, Name: in.Name, Role: "owner", PasswordHash: hash}
	if err := s.Store.TakeOwner(ctx, link, a); err != nil {
		return err
	}
	return s.enter(c, a)
}

func (s *Server) enter(c *echo.Context, a store.Account) error {
	cookie, err := auth.SignIn(c.Request().Context(), s.Store, a, s.secure(c.Request()))
	if err != nil {
		return err
	}
	c.SetCookie(cookie)
	return s.state(c, a)
}

// SignOut ends the sign-in.
func (s *Server) SignOut(c *echo.Context) error {
	cookie, err := auth.SignOut(c.Request(), s.Store)
	if err != nil {
		return err
	}
	c.SetCookie(cookie)
	return c.NoContent(http.StatusNoContent)
}

func (s *Server) athlete(a store.Athlete) Athlete {
	out := athlete(a)
	out.Group = playbook.AgeGroup(a.BirthYear, s.Now().Year())
	return out
}

func dayOf(t *time.Time) *types.Date {
	if t == nil {
		return nil
	}
	return &types.Date{Time: *t}
}

func timeOf(d *types.Date) *time.Time {
	if d == nil {
		return nil
	}
	return &d.Time
}

func athlete(a store.Athlete) Athlete {
	return Athlete{Id: a.ID, Name: a.Name, Sex: AthleteSex(a.Sex), BirthYear: a.BirthYear, HeightM: a.HeightM, FrontLeg: AthleteFrontLeg(a.FrontLeg), Hand: AthleteHand(a.Hand), JumpLeg: AthleteJumpLeg(a.JumpLeg), Level: AthleteLevel(a.Level),
		MassKg: a.MassKg, Para: a.Para, Aids: a.Aids, Events: a.Events, Schools: a.Schools, Notes: a.Notes, Version: a.Version, ConsentBy: a.ConsentBy, ConsentDay: dayOf(a.ConsentDay)}
}

// athleteInput reads an athlete from a request.
func (s *Server) athleteInput(c *echo.Context) (Athlete, store.Athlete, error) {
	var in Athlete
	if err := read(c, &in); err != nil {
		return in, store.Athlete{}, err
	}
	if !in.Sex.Valid() || !in.FrontLeg.Valid() || !in.Level.Valid() {
		return in, store.Athlete{}, store.Invalid("say the sex, the front-block leg and the level from the lists")
	}
	if in.Hand == "" {
		in.Hand = AthleteHandR
	}
	if in.JumpLeg == "" {
		in.JumpLeg = AthleteJumpLegL
	}
	if !in.Hand.Valid() || !in.JumpLeg.Valid() {
		return in, store.Athlete{}, store.Invalid("say the throwing hand and the take-off leg from the lists: L or R")
	}
	for _, event := range in.Events {
		if _, ok := s.Playbooks[event]; !ok {
			return in, store.Athlete{}, store.Invalid(fmt.Sprintf("there is no playbook for %q", event))
		}
	}
	usual := store.Schools{}
	for _, event := range slices.Sorted(maps.Keys(in.Schools)) {
		school := in.Schools[event]
		e, ok := s.Playbooks[event]
		if !ok || school != "" && !slices.ContainsFunc(e.Schools, func(s playbook.School) bool { return s.ID == school }) {
			return in, store.Athlete{}, store.Invalid(fmt.Sprintf("%s has no school %q", event, school))
		}
		if school != "" {
			usual[event] = school
		}
	}
	who := me(c)
	return in, store.Athlete{
		ID: in.Id, ClubID: who.ClubID, CoachID: who.ID, Name: strings.TrimSpace(in.Name), Sex: string(in.Sex), BirthYear: in.BirthYear,
		HeightM: in.HeightM, FrontLeg: string(in.FrontLeg), Hand: string(in.Hand), JumpLeg: string(in.JumpLeg), Level: string(in.Level),
		MassKg: in.MassKg, Para: strings.TrimSpace(in.Para), Aids: strings.TrimSpace(in.Aids), Events: in.Events, Schools: usual, Notes: in.Notes, Version: in.Version,
		ConsentBy: strings.TrimSpace(in.ConsentBy), ConsentDay: timeOf(in.ConsentDay),
	}, nil
}

// AddAthlete adds an athlete to the coach's own.
func (s *Server) AddAthlete(c *echo.Context) error {
	in, a, err := s.athleteInput(c)
	if err != nil {
		return err
	}
	if err := s.Store.AddAthlete(c.Request().Context(), a); err != nil {
		return err
	}
	return c.JSON(http.StatusOK, in)
}

// ChangeAthlete changes what is known of an athlete.
func (s *Server) ChangeAthlete(c *echo.Context, id uuid.UUID) error {
	in, a, err := s.athleteInput(c)
	if err != nil {
		return err
	}
	in.Id, a.ID = id, id
	if err := s.Store.ChangeAthlete(c.Request().Context(), me(c).ID, a); err != nil {
		return err
	}
	in.Version++
	return c.JSON(http.StatusOK, in)
}

const (
	mostWaiting = 40 // attempts on Today
	bareDays    = 2  // an attempt without a clip waits for so long
)

func fouls(e playbook.Event) []string {
	if e.Mark.Fouls == nil {
		return []string{}
	}
	return e.Mark.Fouls
}

func implements(e playbook.Event) map[string]map[string]float64 {
	if e.Implements == nil {
		return map[string]map[string]float64{}
	}
	return e.Implements
}

// GetToday lists what there is to do.
func (s *Server) GetToday(c *echo.Context) error {
	ctx, who := c.Request().Context(), me(c)
	lines, waiting, err := s.Store.WaitingAttempts(ctx, who.ID, s.Now().AddDate(0, 0, -bareDays), mostWaiting)
	if err != nil {
		return err
	}
	people, err := s.Store.Athletes(ctx, who.ID)
	if err != nil {
		return err
	}
	out := Today{Day: s.Now().Format(time.DateOnly), Attempts: []Line{}, Waiting: waiting, Athletes: []Athlete{}}
	if out.Waits, err = s.coaching().Waits(ctx, who); err != nil {
		return err
	}
	latest, err := s.Store.Sessions(ctx, who.ID, lastDay, 1)
	if err != nil {
		return err
	}
	if len(latest) > 0 {
		out.Place = latest[0].Place
	}
	for _, l := range lines {
		row := Line{Id: l.ID, Athlete: l.Athlete, Event: l.Event, Number: l.Number, Day: l.Day.Format(time.DateOnly), Place: l.Place,
			Stamps: l.Stamps, Landmarks: l.Marks, Found: l.Found, Filmless: l.Filmless, Clip: l.Clip, Status: l.Status, First: l.First, Focus: l.Focus, Cue: l.CueWords, Mark: coaching.ResultOf(s.Playbooks[l.Event], l.Attempt)}
		if l.Rate != nil {
			known := *l.Rate > 0
			row.RateKnown = &known
		}
		if l.Refilm != nil {
			day := l.Refilm.Format(time.DateOnly)
			row.Refilm = &day
		}
		out.Attempts = append(out.Attempts, row)
	}
	for _, a := range people {
		out.Athletes = append(out.Athletes, s.athlete(a))
	}
	for _, id := range sortedEvents(s.Playbooks) {
		e := s.Playbooks[id]
		out.Events = append(out.Events, EventName{Id: id, Name: e.Name, Discipline: e.Joined(), Kind: EventNameKind(e.Mark.Kind), Fouls: fouls(e), Implements: implements(e), Log: e.Log, SchoolName: schoolName(e), Schools: schools(e), Variants: variants(e)})
	}
	return c.JSON(http.StatusOK, out)
}

// schoolName is what an event's schools are called.
func schoolName(e playbook.Event) string {
	if e.SchoolName == "" {
		return "school"
	}
	return e.SchoolName
}
