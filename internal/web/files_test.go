package web_test

import (
	"archive/zip"
	"bytes"
	"net/http"
	"strings"
	"testing"

	"github.com/xuri/excelize/v2"

	"diligentledger/api"
	"diligentledger/core/access"
	"diligentledger/internal/archive"
)

// A list becomes a workbook whose texts stay texts, formulas among them, and whose numbers are numbers.
func TestWorkbook(t *testing.T) {
	res, body := ask(t, "POST", "/api/v1/workbook", `{"name":"list","heads":["unit","litres"],"rows":[["=cmd|' /C calc'!A0",5.25],["CA-1",""]]}`, as(access.Reader)...)
	if res.StatusCode != http.StatusOK {
		t.Fatalf("%d %s", res.StatusCode, body)
	}
	f, err := excelize.OpenReader(bytes.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	for cell, want := range map[string]string{"A1": "unit", "A2": "=cmd|' /C calc'!A0", "B2": "5.25", "A3": "CA-1", "B3": ""} {
		got, err := f.GetCellValue("Sheet1", cell)
		formula, err2 := f.GetCellFormula("Sheet1", cell)
		if err != nil || err2 != nil || got != want || formula != "" {
			t.Errorf("%s: %q, formula %q, %v; want %q", cell, got, formula, err, want)
		}
	}
	if kind, err := f.GetCellType("Sheet1", "B2"); err != nil || kind != excelize.CellTypeNumber && kind != excelize.CellTypeUnset {
		t.Errorf("a number is of type %v, %v", kind, err)
	}
	if res, body := ask(t, "POST", "/api/v1/workbook", `{"name":"list","heads":["unit"],"rows":[["a","b"]]}`, as(access.Reader)...); res.StatusCode != http.StatusUnprocessableEntity {
		t.Errorf("a row wider than its headings: %d %s", res.StatusCode, body)
	}
}

// Everything is one archive, of whole tables; who fetched it is in the audit.
func TestArchive(t *testing.T) {
	res, body := ask(t, "GET", "/api/v1/archive", nil, as(access.Coordinator)...)
	if res.StatusCode != http.StatusOK || !archive.Is(body) || !strings.Contains(res.Header.Get("Content-Disposition"), ".zip") {
		t.Fatalf("%d %s %.80s", res.StatusCode, res.Header, body)
	}
	z, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil {
		t.Fatal(err)
	}
	names := map[string]bool{}
	for _, f := range z.File {
		names[f.Name] = true
	}
	for _, table := range []string{"unit", "entry", "chain_line", "site_night", "register_change"} {
		if !names["tables/"+table+".jsonl"] {
			t.Errorf("no table %s", table)
		}
	}
	for _, table := range []string{"sessions", "one_time_link", "throttle"} {
		if names["tables/"+table+".jsonl"] {
			t.Errorf("%s is in it", table)
		}
	}
	lines := get[[]api.AuditLine](t, "/api/v1/audit?what=exported")
	if len(lines) == 0 {
		t.Error("the audit does not say who fetched it")
	}
}

// A spreadsheet is uploaded over HTTP by the coordinator alone; what is too large or no table is refused with what is accepted.
func TestUpload(t *testing.T) {
	upload := func(content string, role access.Role) (*http.Response, string) {
		res, body := ask(t, "POST", "/api/v1/imports?name=list.csv", content, append(as(role), "Content-Type", "application/octet-stream")...)
		return res, string(body)
	}
	if res, body := upload("unit;kind\nA-1;car\n", access.Technician); res.StatusCode != http.StatusForbidden {
		t.Errorf("a technician: %d %s", res.StatusCode, body)
	}
	if res, body := upload("unit;kind\nA-1;car\n", access.Coordinator); res.StatusCode != http.StatusCreated {
		t.Errorf("%d %s", res.StatusCode, body)
	}
	if res, body := upload("\x00\x01\x02", access.Coordinator); res.StatusCode != http.StatusUnprocessableEntity || !strings.Contains(body, "CSV") {
		t.Errorf("no table: %d %s", res.StatusCode, body)
	}
	if res, body := upload(strings.Repeat("x", 33<<20), access.Coordinator); res.StatusCode != http.StatusRequestEntityTooLarge || !strings.Contains(body, "at most 32 MB") {
		t.Errorf("33 MB: %d %s", res.StatusCode, body)
	}
}
