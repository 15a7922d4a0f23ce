package climate_test

import (
	"encoding/json"
	"math"
	"reflect"
	"testing"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
)

// A climate that a device takes along plans each night as the one it was made of: from months, wintering at
// another place, with a forecast that lacks a night.
func TestClimateAsJSON(t *testing.T) {
	day := measure.DateOf(time.Date(2026, 11, 20, 12, 0, 0, 0, time.UTC), time.UTC)
	yard := climate.MonthlyCurve{-18, -17, -12, -5, 1, 5, 8, 7, 3, -2, -9, -15}.Climate()
	hill := climate.MonthlyCurve{-25, -22, -16, -8, -1, 3, 5, 5, 0, -6, -14, -21}.Climate()
	for name, k := range map[string]*climate.Climate{"months": yard, "winters": yard.Wintering(hill, -2),
		"forecast": yard.WithForecast(day, []measure.Celsius{-3, measure.Celsius(math.NaN()), -11.25})} {
		text, err := json.Marshal(k)
		if err != nil {
			t.Fatal(err)
		}
		var got climate.Climate
		if err := json.Unmarshal(text, &got); err != nil {
			t.Fatal(err)
		}
		if got.Coldest() != k.Coldest() || !reflect.DeepEqual(got.Seasons(day, day.AddDate(2, 0, 0)), k.Seasons(day, day.AddDate(2, 0, 0))) {
			t.Errorf("%s: coldest %v, want %v", name, got.Coldest(), k.Coldest())
		}
		for n := range 400 {
			if d := day.AddDays(n - 5); got.PlannedMinimum(d) != k.PlannedMinimum(d) {
				t.Fatalf("%s, %s: %v, want %v", name, d, got.PlannedMinimum(d), k.PlannedMinimum(d))
			}
		}
	}
	if err := json.Unmarshal([]byte(`{"dates":[1],"nights":[1]}`), &climate.Climate{}); err == nil {
		t.Error("a climate of one night is accepted")
	}
}
