package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	core "neokinema/core/playbook"
	"neokinema/playbook"
	"neokinema/server/store"
)

// GetPlaybook sends an event's playbook, written out in a variant, as the club
// has changed it: for an attempt, if one is named.
func (s *Server) GetPlaybook(c *echo.Context, event string, params GetPlaybookParams) error {
	b := store.Bench{Attempt: store.Attempt{Event: event}}
	if params.Attempt != nil {
		var err error
		if b, err = s.Store.Bench(c.Request().Context(), me(c).ID, *params.Attempt); err != nil {
			return err
		}
		if b.Attempt.Event != event {
			return store.ErrNotFound
		}
	}
	if params.Variant != nil {
		b.Attempt.Variant = *params.Variant
	}
	e, _, err := s.book(c, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, e)
}

// book is the playbook that an attempt is read by, written out in its variant,
// with what the club changed for it, and the name of that state.
func (s *Server) book(c *echo.Context, b store.Bench) (core.Event, string, error) {
	e, ok := s.Playbooks[b.Attempt.Event]
	if !ok {
		return e, "", store.ErrNotFound
	}
	changes, err := s.Store.PlaybookChanges(c.Request().Context(), me(c).ID, b.Attempt.Event)
	if err != nil {
		return e, "", err
	}
	state := ""
	for _, change := range changes {
		if !concerns(change, b) {
			continue
		}
		p, err := playbook.DecodePatch(e, []byte(change.Patch))
		if err != nil { // a newer shipped file may leave no room for it
			return e, "", store.Invalid(fmt.Sprintf("the club's change of the %s no longer fits its playbook: %v", strings.ToLower(e.Name), err))
		}
		if e, err = e.With(p); err != nil {
			return e, "", err
		}
		state += " book " + change.ID.String()
	}
	if e, err = e.As(b.Attempt.Variant); err != nil {
		return e, "", store.Invalid(err.Error())
	}
	return e, state, nil
}

// concerns tells whether a change counts for an attempt. Without an athlete only
// what is for the whole club does.
func concerns(change store.PlaybookChange, b store.Bench) bool {
	switch change.Scope {
	case "club":
		return true
	case "school":
		return change.Value == b.Attempt.School
	case "level":
		return change.Value == b.Athlete.Level
	case "group":
		return b.Athlete.BirthYear > 0 && change.Value == core.AgeGroup(b.Athlete.BirthYear, b.Attempt.Day.Year())
	case "athlete":
		return change.Value == b.Athlete.ID.String()
	}
	return false
}

// GetPlaybookChanges sends what the club changed in an event's playbook, and when.
func (s *Server) GetPlaybookChanges(c *echo.Context, event string) error {
	if _, ok := s.Playbooks[event]; !ok {
		return store.ErrNotFound
	}
	ctx := c.Request().Context()
	now, err := s.Store.PlaybookChanges(ctx, me(c).ID, event)
	if err != nil {
		return err
	}
	all, err := s.Store.PlaybookHistory(ctx, me(c).ID, event)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, PlaybookChanges{Now: changes(now), History: changes(all)})
}

func changes(list []store.PlaybookChange) []PlaybookChange {
	out := []PlaybookChange{}
	for _, l := range list {
		patch, err := playbook.ReadPatch([]byte(l.Patch))
		if err != nil { // it was read when it was made
			continue
		}
		out = append(out, PlaybookChange{Id: l.ID, Scope: PlaybookChangeScope(l.Scope), Value: l.Value, Yaml: l.Patch, Patch: patch, By: l.By, Made: l.Made, Athlete: l.Athlete})
	}
	return out
}

// ChangePlaybook sets what the club changes in an event's playbook, for a scope.
func (s *Server) ChangePlaybook(c *echo.Context, event string) error {
	var in PlaybookWish
	if err := read(c, &in); err != nil {
		return err
	}
	e, ok := s.Playbooks[event]
	if !ok {
		return store.ErrNotFound
	}
	if role := me(c).Role; role != "owner" && role != "coach" {
		return echo.NewHTTPError(http.StatusForbidden, "a playbook is changed by the club's coaches")
	}
	scope := string(in.Scope)
	values := map[string][]string{"club": {""}, "level": {"developing", "youth", "trained", "elite"}, "group": {"U14", "U16", "U18", "U20", "senior", "masters"}}
	for _, school := range e.Schools {
		values["school"] = append(values["school"], school.ID)
	}
	if _, err := uuid.Parse(in.Value); scope == "athlete" && err != nil || scope != "athlete" && !slices.Contains(values[scope], in.Value) {
		return store.Invalid(fmt.Sprintf("%q is not a %s of the %s", in.Value, scope, strings.ToLower(e.Name)))
	}
	// What is for the whole club stands under what is for a part of it.
	ctx := c.Request().Context()
	if scope != "club" {
		all, err := s.Store.PlaybookChanges(ctx, me(c).ID, event)
		if err != nil {
			return err
		}
		for _, change := range all {
			if change.Scope == "club" {
				p, err := playbook.DecodePatch(e, []byte(change.Patch))
				if err != nil {
					return store.Invalid(err.Error())
				}
				if e, err = e.With(p); err != nil {
					return err
				}
			}
		}
	}
	text := in.Yaml
	if in.Patch != nil {
		data, err := playbook.Encode(*in.Patch)
		if err != nil {
			return err
		}
		text = string(data)
	}
	if _, err := playbook.DecodePatch(e, []byte(text)); err != nil {
		return store.Invalid(err.Error())
	}
	if err := s.Store.ChangePlaybook(ctx, me(c).ID, store.PlaybookChange{ID: in.Id, Event: event, Scope: scope, Value: in.Value, Patch: text}, in.On); err != nil {
		return err
	}
	return s.GetPlaybookChanges(c, event)
}

// GetPlaybookFile sends an event's playbook as the club has it, as a file to keep
// or to send.
func (s *Server) GetPlaybookFile(c *echo.Context, event string) error {
	e, err := s.clubs(c.Request().Context(), me(c).ID, event)
	if err != nil {
		return err
	}
	data, err := playbook.Encode(e)
	if err != nil {
		return err
	}
	c.Response().Header().Set("Content-Disposition", `attachment; filename="`+event+`.yaml"`)
	return c.Blob(http.StatusOK, "application/yaml", data)
}

// clubs is an event's playbook with what is changed for the whole club.
func (s *Server) clubs(ctx context.Context, viewer uuid.UUID, event string) (core.Event, error) {
	e, ok := s.Playbooks[event]
	if !ok {
		return e, store.ErrNotFound
	}
	all, err := s.Store.PlaybookChanges(ctx, viewer, event)
	for _, change := range all {
		if change.Scope != "club" || err != nil {
			continue
		}
		var p core.Patch
		if p, err = playbook.DecodePatch(e, []byte(change.Patch)); err == nil {
			e, err = e.With(p)
		}
	}
	return e, err
}
