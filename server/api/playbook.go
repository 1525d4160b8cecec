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
	"neokinema/server/analysis"
	"neokinema/server/coaching"
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
	e, err := s.playbookOf(c, b)
	if err != nil {
		return err
	}
	return c.JSON(http.StatusOK, e)
}

// playbookOf is the playbook that an attempt is read by, with what the club changed for
// it.
func (s *Server) playbookOf(c *echo.Context, b store.Bench) (core.Event, error) {
	e, _, err := s.analysis().Playbook(c.Request().Context(), me(c).ID, b)
	return e, err
}

// coaching is what a coach asks of more than one record.
func (s *Server) coaching() coaching.Service {
	return coaching.Service{Store: s.Store, Analysis: s.analysis(), Playbooks: s.Playbooks, Now: s.Now}
}

func (s *Server) analysis() analysis.Service {
	return analysis.Service{Store: s.Store, Playbooks: s.Playbooks}
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
	out := PlaybookChanges{Now: changes(now), History: changes(all)}
	j, err := s.Store.LastRejudging(ctx, me(c).ID, event)
	if err != nil {
		return err
	}
	if j != nil {
		out.Judging = new(taskOf(*j))
	}
	return c.JSON(http.StatusOK, out)
}

func changes(list []store.PlaybookChange) []PlaybookChange {
	out := []PlaybookChange{}
	for _, l := range list {
		patch, err := playbook.ReadPatch([]byte(l.Patch))
		if err != nil { // it was read when it was made; now it is set aside
			patch = core.Patch{}
			l.Patch = shortened(l.Patch)
		}
		one := PlaybookChange{Id: l.ID, Scope: PlaybookChangeScope(l.Scope), Value: l.Value, Yaml: l.Patch, Patch: patch, By: l.By, Made: l.Made, Athlete: l.Athlete}
		if l.Problem != "" {
			one.Problem = &l.Problem
		}
		out = append(out, one)
	}
	return out
}

// shortened is the begin of a text that cannot be read.
func shortened(s string) string {
	const most = 2000
	return strings.ToValidUTF8(s[:min(len(s), most)], "")
}

// ChangePlaybook sets what the club changes in an event's playbook, for a scope.
func (s *Server) ChangePlaybook(c *echo.Context, event string) error {
	var in PlaybookRequest
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
		var err error
		if e, err = s.clubPlaybook(ctx, me(c).ID, event); err != nil {
			return store.Invalid(err.Error())
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
	if err := s.Store.ChangePlaybook(ctx, me(c).ID, store.PlaybookChange{ID: in.Id, Event: event, Scope: scope, Value: in.Value, Patch: text}, in.On, s.Tasks.Enqueue); err != nil {
		return err
	}
	return s.GetPlaybookChanges(c, event)
}

// GetPlaybookFile sends an event's playbook as the club has it, as a file to keep
// or to send.
func (s *Server) GetPlaybookFile(c *echo.Context, event string) error {
	e, err := s.clubPlaybook(c.Request().Context(), me(c).ID, event)
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

// clubPlaybook is an event's playbook with what is changed for the whole club.
func (s *Server) clubPlaybook(ctx context.Context, viewer uuid.UUID, event string) (core.Event, error) {
	return s.analysis().ClubPlaybook(ctx, viewer, event)
}
