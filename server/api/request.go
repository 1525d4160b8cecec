package api

import (
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"strings"

	"github.com/google/uuid"
	"github.com/labstack/echo/v5"

	"neokinema/core/bounds"
	"neokinema/server/store"
)

// longest is how many bytes a text may have by its field's name; usual is for all
// others. Passwords are hashed whole and bounded by what bcrypt takes.
var longest = map[string]int{
	"name": 200, "login": 100, "club": 200, "password": 200, "now": 200, "link": 200, "para": 40, "aids": 400, "notes": 10_000,
	"words": 2000, "why": 2000, "drill": 1000, "dose": 400, "yaml": 512 << 10, "text": 2000, "place": 200, "mark": 40,
	"surface": 200, "weather": 400, "by": 200, "says": 2000, "care": 2000, "consentBy": 200,
}

const usual = 500

// read decodes a JSON body and checks all that it holds: every number is finite,
// every text of a usual length and without NUL, every id that the contract asks
// for is there.
func read(c *echo.Context, into any) error {
	if err := c.Bind(into); err != nil {
		if he, ok := err.(*echo.HTTPError); ok && he.Code == http.StatusRequestEntityTooLarge {
			return err
		}
		return store.Invalid(fmt.Sprintf("the request cannot be read: %v", err))
	}
	if err := checkIDs(reflect.ValueOf(into).Elem()); err != nil {
		return err
	}
	err := bounds.Visitor{
		Number: func(path string, v float64) error {
			if err := bounds.AnyNumber.Check(v); err != nil {
				return store.Invalid(fmt.Sprintf("%s: %v", path, err))
			}
			return nil
		},
		Text: func(path, s string) error {
			most, ok := longest[path[strings.LastIndexAny(path, ".]")+1:]]
			if !ok {
				most = usual
			}
			if err := bounds.Text(s, most); err != nil {
				return store.Invalid(fmt.Sprintf("%s %v", path, err))
			}
			return nil
		},
	}.Visit(into)
	return err
}

// checkIDs refuses a body whose own id, or that of one of its list, is missing:
// it would be stored under the id zero.
func checkIDs(v reflect.Value) error {
	switch v.Kind() {
	case reflect.Slice:
		for i := range v.Len() {
			if err := checkIDs(v.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Struct:
		for _, name := range []string{"Id", "ID"} {
			if f := v.FieldByName(name); f.IsValid() && f.Type() == reflect.TypeFor[uuid.UUID]() && f.IsZero() {
				return store.Invalid("id is missing: make a UUID for what is new")
			}
		}
	}
	return nil
}

// mostAddress is how long a request's address may be, bytes.
const mostAddress = 8 << 10

// addressed refuses addresses that no text of the database could hold.
func addressed(next echo.HandlerFunc) echo.HandlerFunc {
	return func(c *echo.Context) error {
		u := c.Request().URL
		if err := bounds.Text(u.Path, mostAddress); err != nil {
			return store.Invalid("the address " + err.Error())
		}
		query, err := url.ParseQuery(u.RawQuery)
		if err != nil {
			return store.Invalid("the address cannot be read: " + err.Error())
		}
		for name, values := range query {
			for _, v := range append(values, name) {
				if err := bounds.Text(v, mostAddress); err != nil {
					return store.Invalid(fmt.Sprintf("the address, %q: it %v", name, err))
				}
			}
		}
		return next(c)
	}
}
