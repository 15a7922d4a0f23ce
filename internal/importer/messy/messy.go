// Package messy makes the spreadsheet of an office for the tests: 60 units in one wide table, as such tables grow. It mixes
// units of measure, two orders of dates and decimal commas, has a unit twice and five cells that cannot be right.
package messy

import (
	"bytes"
	"encoding/csv"
	"fmt"
	"time"

	"github.com/xuri/excelize/v2"
)

// Wrong cells that the file has, by the number of their unit.
var Wrong = map[string]string{
	"V-07": "31/02/2025", // no such day
	"V-19": "a lot",      // capacity
	"V-28": "sometime",   // date of the test
	"V-41": "spaceship",  // kind
	"V-55": "lukewarm",   // freeze point
}

// Twice is the unit that has two rows, which differ.
const Twice = "V-12"

// Units of the file.
const Units = 60

// Unit of the file as it truly is.
type Unit struct {
	Code, Kind string
	Litres     float64
	Changed    time.Time
	MeterThen  float64 // km or h at the renewal
	Meter      float64 // km or h on the day of the list
	Freeze     float64 // °C that was tested
	Tested     time.Time
}

var kinds = []struct{ kind, word string }{{"car", "Van"}, {"truck", "Lorry"}, {"motorcycle", "Motorbike"}, {"boat", "Vessel"}, {"car", "car"}}

// Fleet as of a day.
func Fleet(today time.Time) []Unit {
	all := make([]Unit, Units)
	for i := range all {
		u := Unit{Code: fmt.Sprintf("V-%02d", i+1), Kind: kinds[i%len(kinds)].kind}
		days := 40 + (i*97)%900
		u.Changed = time.Date(today.Year(), today.Month(), today.Day(), 0, 0, 0, 0, time.UTC).AddDate(0, 0, -days)
		u.Litres = map[string]float64{"car": 6, "truck": 32, "motorcycle": 2, "boat": 14}[u.Kind] + float64(i%4)*0.5
		u.MeterThen, u.Meter = float64(10_000+i*1_700), float64(10_000+i*1_700+days*20)
		if u.Kind == "boat" {
			u.MeterThen, u.Meter = float64(200+i*11), float64(200+i*11+days/4)
		}
		u.Freeze, u.Tested = -float64(30+i%9), u.Changed.AddDate(0, 0, 20)
		all[i] = u
	}
	return all
}

// heads of the table.
var heads = []string{"Unit no.", "Description", "Type of vehicle", "Location", "Coolant cap. (L)", "Last changed", "Odo at change", "Last odometer", "Freeze point", "Date tested", "Next due", "Remarks"}

// Targets are what each column is, for the mapping.
var Targets = []string{"code", "name", "kind", "site", "capacity", "renewed_on", "renewed_meter", "meter_reading", "freeze_point", "tested_on", "due_on", "remark"}

// date of a row as its typist writes it: by day or by month first, or in words. None that can be read either way.
func date(t time.Time, row int) string {
	switch {
	case row%3 == 0 && t.Day() > 12:
		return t.Format("02/01/2006")
	case row%3 == 1 && t.Day() > 12:
		return t.Format("01/02/2006")
	case row%3 == 2:
		return t.Format("2006-01-02")
	}
	return t.Format("2 Jan 2006")
}

// Rows of the table, the title and the headings among them.
func Rows(today time.Time) [][]string {
	rows := [][]string{{"FLEET LIST, coolant"}, {}, heads}
	for i, u := range Fleet(today) {
		capacity := fmt.Sprintf("%.1f", u.Litres)
		switch i % 4 {
		case 1:
			capacity = fmt.Sprintf("%.2f qt", u.Litres/0.946352946)
		case 2:
			capacity = fmt.Sprintf("%.1f l", u.Litres)
		}
		freeze := fmt.Sprintf("%.0f C", u.Freeze)
		if i%5 == 2 {
			freeze = fmt.Sprintf("%.1f F", u.Freeze*1.8+32)
		}
		then, now := fmt.Sprintf("%.0f", u.MeterThen), fmt.Sprintf("%.0f", u.Meter)
		if u.Kind != "boat" && i%6 == 1 {
			then, now = fmt.Sprintf("%.0f mi", u.MeterThen/1.609344), fmt.Sprintf("%.0f mi", u.Meter/1.609344)
		}
		row := []string{u.Code, "unit " + u.Code, kinds[i%len(kinds)].word, "Main yard", capacity, date(u.Changed, i), then, now, freeze, date(u.Tested, i+1), date(u.Changed.AddDate(3, 0, 0), i), ""}
		if wrong, ok := Wrong[u.Code]; ok {
			row[map[string]int{"V-07": 5, "V-19": 4, "V-28": 9, "V-41": 2, "V-55": 8}[u.Code]] = wrong
		}
		rows = append(rows, row)
		if u.Code == Twice {
			again := append([]string{}, row...)
			again[7] = "99"
			rows = append(rows, again)
		}
	}
	return rows
}

// CSV of the table with semicolons, as of a day.
func CSV(today time.Time) []byte {
	var out bytes.Buffer
	w := csv.NewWriter(&out)
	w.Comma = ';'
	_ = w.WriteAll(Rows(today)) // a buffer takes every byte
	return out.Bytes()
}

// XLSX of the table: plain numbers are numbers there, and the dates of some rows are days of the workbook.
func XLSX(today time.Time) ([]byte, error) {
	f := excelize.NewFile()
	defer f.Close()
	fleet := Fleet(today)
	for i, row := range Rows(today) {
		cells := make([]any, len(row))
		for j, c := range row {
			cells[j] = c
			var n float64
			if used, err := fmt.Sscanf(c, "%f", &n); used == 1 && err == nil && fmt.Sprint(n) == c {
				cells[j] = n
			}
		}
		if n := i - 3; n >= 0 && n < 11 && n%2 == 0 && len(cells) > 5 && Wrong[fleet[n].Code] == "" {
			cells[5] = fleet[n].Changed
		}
		if err := f.SetSheetRow("Sheet1", fmt.Sprint("A", i+1), &cells); err != nil {
			return nil, err
		}
	}
	var out bytes.Buffer
	err := f.Write(&out)
	return out.Bytes(), err
}
