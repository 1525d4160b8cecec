// Package bounds says which numbers and texts may be what they are said to be:
// the range of a physical thing, and a walk over all that a value holds.
package bounds

import (
	"fmt"
	"math"
	"reflect"
	"strings"
	"unicode/utf8"
)

// Range is what a number may be, both ends included.
type Range struct {
	What        string // "a known length"
	Least, Most float64
	Unit        string // "m"; empty: none
}

// Ranges of what a coach says of a film or an attempt. They are wide: what lies
// outside is a slip or an attack, not a measurement (common practice).
var (
	Length      = Range{"a known length", 0.01, 1000, "m"}
	Coordinate  = Range{"the place of a known point", -200, 200, "m"}
	Distance    = Range{"the camera's distance from the athlete", 2, 200, "m"}
	CaptureRate = Range{"a capture rate", 1, 10000, "pictures a second"}
	Interval    = Range{"the time between two pictures", 0.001, 3600, "s"}
	IntervalU   = Range{"the uncertainty of a time", 0, 60, "s"}
	Gravity     = Range{"the acceleration of free fall on Earth", 9.7, 9.9, "m/s²"}
	SoundPath   = Range{"the way of a sound", 0, 1000, "m"}
	Angle       = Range{"an angle", 0, 180, "°"}
	HoleSpacing = Range{"the spacing of a rail's holes", 0, 0.2, "m"}
	FileSeconds = Range{"a time in the file", 0, math.MaxInt32, "s"}
	Goal        = Range{"a goal", -1e6, 1e6, ""}
	AnyNumber   = Range{"a number", -1e12, 1e12, ""}
)

// Check returns an error that names the range unless v lies in it. NaN lies in
// no range.
func (r Range) Check(v float64) error {
	if v >= r.Least && v <= r.Most {
		return nil
	}
	unit := ""
	if r.Unit != "" {
		unit = " " + r.Unit
	}
	return fmt.Errorf("%s lies between %s and %s%s, not at %.4g", r.What, plain(r.Least), plain(r.Most), unit, v)
}

// plain writes a number without an exponent while it is short.
func plain(v float64) string {
	if math.Abs(v) < 1e7 {
		return fmt.Sprintf("%.7g", v)
	}
	return fmt.Sprintf("%.2g", v)
}

// Text returns an error unless s is valid UTF-8 without NUL and at most most
// bytes long.
func Text(s string, most int) error {
	switch {
	case len(s) > most:
		return fmt.Errorf("is %d characters long, more than %d", utf8.RuneCountInString(s), most)
	case !utf8.ValidString(s):
		return fmt.Errorf("is not valid text (UTF-8)")
	case strings.ContainsRune(s, 0):
		return fmt.Errorf("holds a NUL character, which no text needs")
	}
	return nil
}

// Visitor is told of the numbers and texts inside a value. Path leads to each as
// JSON has it, as in "bands[0].band.low".
type Visitor struct {
	Number func(path string, v float64) error
	Text   func(path, s string) error
}

// Visit walks over the exported parts of a value, keys of maps among them, and
// stops at the first error. Arrays and slices of bytes are passed over: they are
// ids and files.
func (v Visitor) Visit(value any) error { return v.visit("", reflect.ValueOf(value)) }

func (v Visitor) visit(path string, x reflect.Value) error {
	switch x.Kind() {
	case reflect.Pointer, reflect.Interface:
		if !x.IsNil() {
			return v.visit(path, x.Elem())
		}
	case reflect.Float32, reflect.Float64:
		return v.Number(path, x.Float())
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return v.Number(path, float64(x.Int()))
	case reflect.String:
		return v.Text(path, x.String())
	case reflect.Slice, reflect.Array:
		if x.Type().Elem().Kind() == reflect.Uint8 {
			return nil
		}
		for i := range x.Len() {
			if err := v.visit(fmt.Sprintf("%s[%d]", path, i), x.Index(i)); err != nil {
				return err
			}
		}
	case reflect.Map:
		for each := x.MapRange(); each.Next(); {
			if each.Key().Kind() == reflect.String {
				if err := v.Text(path, each.Key().String()); err != nil {
					return err
				}
			}
			if err := v.visit(join(path, fmt.Sprint(each.Key())), each.Value()); err != nil {
				return err
			}
		}
	case reflect.Struct:
		for i := range x.NumField() {
			f := x.Type().Field(i)
			if !f.IsExported() {
				continue
			}
			name, _, _ := strings.Cut(f.Tag.Get("json"), ",")
			at := join(path, name)
			if f.Anonymous || name == "" || name == "-" {
				at = path
			}
			if err := v.visit(at, x.Field(i)); err != nil {
				return err
			}
		}
	}
	return nil
}

func join(path, name string) string {
	if path == "" {
		return name
	}
	return path + "." + name
}
