package bounds_test

import (
	"errors"
	"fmt"
	"math"
	"strings"
	"testing"

	"neokinema/core/bounds"
)

func ExampleRange_Check() {
	fmt.Println(bounds.Length.Check(2.135))
	fmt.Println(bounds.Length.Check(1e-9))
	// Output:
	// <nil>
	// a known length lies between 0.01 and 1000 m, not at 1e-09
}

func TestWhatIsNoNumberLiesInNoRange(t *testing.T) {
	for _, v := range []float64{math.NaN(), math.Inf(1), math.Inf(-1), 1e308, -1e308} {
		if bounds.AnyNumber.Check(v) == nil {
			t.Errorf("%v passes", v)
		}
	}
	for _, v := range []float64{bounds.CaptureRate.Least, bounds.CaptureRate.Most} {
		if err := bounds.CaptureRate.Check(v); err != nil {
			t.Errorf("an end of the range: %v", err)
		}
	}
	if bounds.CaptureRate.Check(1e-320) == nil {
		t.Error("a rate of 1e-320 passes")
	}
}

func TestTexts(t *testing.T) {
	for text, want := range map[string]string{"Höhe": "", "a\x00b": "NUL", "\xff": "UTF-8", strings.Repeat("ä", 9): "9 characters"} {
		err := bounds.Text(text, 16)
		if want == "" != (err == nil) || err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v", text, err)
		}
	}
}

// Every number and text is found, however deep, and its path is told.
func TestVisitFindsEverything(t *testing.T) {
	type inner struct {
		Low  *float64 `json:"low"`
		Name string   `json:"name,omitempty"`
	}
	type outer struct {
		ID    [16]byte           `json:"id"`
		List  []inner            `json:"list"`
		Named map[string]float64 `json:"named"`
		Any   any                `json:"any"`
		Count int                `json:"count"`
		inner
	}
	low := math.NaN()
	var seen []string
	v := bounds.Visitor{
		Number: func(path string, x float64) error { seen = append(seen, fmt.Sprintf("%s=%v", path, x)); return nil },
		Text:   func(path, s string) error { seen = append(seen, path+"="+s); return nil },
	}
	if err := v.Visit(outer{List: []inner{{Low: &low, Name: "band"}}, Named: map[string]float64{"key": 2}, Any: []any{"word", 3.5}, Count: 7}); err != nil {
		t.Fatal(err)
	}
	want := []string{"list[0].low=NaN", "list[0].name=band", "named=key", "named.key=2", "any[0]=word", "any[1]=3.5", "count=7"}
	if strings.Join(seen, " ") != strings.Join(want, " ") {
		t.Errorf("seen %v, want %v", seen, want)
	}
	stop := errors.New("stop")
	v.Number = func(string, float64) error { return stop }
	if err := v.Visit(outer{Count: 1}); !errors.Is(err, stop) {
		t.Errorf("the first error is not returned: %v", err)
	}
}
