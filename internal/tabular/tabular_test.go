package tabular

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	textunicode "golang.org/x/text/encoding/unicode"
)

const plain = "Fleet list 2026;;\n\nUnit;Name;Capacity\nCA-1;Postbil \u00f8st;5,8\nCA-2;\"two; words\";6\n"

func encoded(t *testing.T, text string, to func([]byte) ([]byte, error)) []byte {
	t.Helper()
	out, err := to([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return out
}

func workbook(t *testing.T, rows ...[]any) []byte {
	t.Helper()
	f := excelize.NewFile()
	defer f.Close()
	for i, row := range rows {
		if err := f.SetSheetRow("Sheet1", fmt.Sprint("A", i+1), &row); err != nil {
			t.Fatal(err)
		}
	}
	var out bytes.Buffer
	if err := f.Write(&out); err != nil {
		t.Fatal(err)
	}
	return out.Bytes()
}

// The same table in every encoding and with every separator.
func TestRead(t *testing.T) {
	for name, content := range map[string][]byte{
		"UTF-8":         []byte(plain),
		"UTF-8, marked": []byte("\xef\xbb\xbf" + plain),
		"UTF-16":        encoded(t, plain, textunicode.UTF16(textunicode.LittleEndian, textunicode.UseBOM).NewEncoder().Bytes),
		"Windows-1252":  encoded(t, plain, charmap.Windows1252.NewEncoder().Bytes),
		"with its name": []byte("sep=;\n" + plain),
		"tabs":          []byte("Unit\tName\tCapacity\nCA-1\tPostbil øst\t5,8\nCA-2\ttwo; words\t6\n"),
		"commas":        []byte("Unit,Name,Capacity\r\nCA-1,Postbil øst,\"5,8\"\r\nCA-2,two; words,6\r\n"),
		"a workbook":    workbook(t, []any{"Fleet list 2026"}, []any{}, []any{"Unit", "Name", "Capacity"}, []any{"CA-1", "Postbil øst", "5,8"}, []any{"CA-2", "two; words", 6}),
	} {
		got, err := Read(content)
		if err != nil {
			t.Errorf("%s: %v", name, err)
			continue
		}
		want := [][]string{{"CA-1", "Postbil øst", "5,8"}, {"CA-2", "two; words", "6"}}
		if !slices.Equal(got.Heads, []string{"Unit", "Name", "Capacity"}) || len(got.Rows) != 2 || !slices.Equal(got.Rows[0], want[0]) || !slices.Equal(got.Rows[1], want[1]) {
			t.Errorf("%s: %q %q, as %s, %s %q", name, got.Heads, got.Rows, got.Format, got.Encoding, got.Separator)
		}
		if name == "UTF-8" && (got.Header != 3 || got.Numbers[1] != 5) {
			t.Errorf("headings in row %d, rows %v", got.Header, got.Numbers)
		}
	}
}

// A day of a workbook is the number of days since the end of 1899 (source: ECMA-376, part 1, 18.17.4.1; its
// example 38,749 is 1 February 2006, recalled from memory).
func TestDay(t *testing.T) {
	table, err := Read(workbook(t, []any{"Unit", "Changed"}, []any{"CA-1", time.Date(2006, 2, 1, 0, 0, 0, 0, time.UTC)}))
	if err != nil {
		t.Fatal(err)
	}
	if table.Rows[0][1] != "38749" {
		t.Errorf("the day is kept as %q", table.Rows[0][1])
	}
	if day, ok := table.Day(38749); !ok || day.Format(time.DateOnly) != "2006-02-01" {
		t.Errorf("%v, %v", day, ok)
	}
	if _, ok := (&Table{}).Day(38749); ok {
		t.Error("a number in a CSV is no day")
	}
}

// Hostile files are refused in less than the seconds that a request may take.
func TestRefused(t *testing.T) {
	bomb := func(name string, size int) []byte {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for _, part := range []string{"[Content_Types].xml", name} {
			w, err := z.Create(part)
			if err != nil {
				t.Fatal(err)
			}
			chunk := bytes.Repeat([]byte(" "), 1<<20)
			for written := 0; written < size; written += len(chunk) {
				if _, err := w.Write(chunk); err != nil {
					t.Fatal(err)
				}
			}
		}
		if err := z.Close(); err != nil {
			t.Fatal(err)
		}
		return out.Bytes()
	}
	sound := workbook(t, []any{"Unit"}, []any{"CA-1"})
	broken := func() []byte {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for name, text := range map[string]string{"[Content_Types].xml": "<Types", "xl/workbook.xml": "<workbook><sheets><sheet name='a' sheetId='1' r:id='rId1'", "xl/worksheets/sheet1.xml": "<worksheet><sheetData><row"} {
			w, _ := z.Create(name)
			_, _ = w.Write([]byte(text))
		}
		_ = z.Close()
		return out.Bytes()
	}()
	farRow := func() []byte {
		var out bytes.Buffer
		z := zip.NewWriter(&out)
		for _, part := range [][2]string{
			{"[Content_Types].xml", `<?xml version="1.0"?><Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="xml" ContentType="application/xml"/><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml" ContentType="application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml"/></Types>`},
			{"_rels/.rels", `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument" Target="xl/workbook.xml"/></Relationships>`},
			{"xl/_rels/workbook.xml.rels", `<?xml version="1.0"?><Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet" Target="worksheets/sheet1.xml"/></Relationships>`},
			{"xl/workbook.xml", `<?xml version="1.0"?><workbook xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main" xmlns:r="http://schemas.openxmlformats.org/officeDocument/2006/relationships"><sheets><sheet name="a" sheetId="1" r:id="rId1"/></sheets></workbook>`},
			{"xl/worksheets/sheet1.xml", `<?xml version="1.0"?><worksheet xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"><sheetData><row r="1"><c r="A1" t="inlineStr"><is><t>Unit</t></is></c></row><row r="9000000000"><c r="A9000000000" t="inlineStr"><is><t>CA-1</t></is></c></row></sheetData></worksheet>`},
		} {
			w, _ := z.Create(part[0])
			_, _ = w.Write([]byte(part[1]))
		}
		_ = z.Close()
		return out.Bytes()
	}()
	for name, content := range map[string][]byte{
		"a row of no sheet": farRow,
		"nothing":           nil,
		"blank lines":       []byte("\n \n;;\n"),
		"headings alone":    []byte("Unit;Name\n"),
		"a picture":         append([]byte("\x89PNG\r\n\x1a\n"), make([]byte, 100)...),
		"a zip bomb":        bomb("xl/worksheets/sheet1.xml", 64<<20),
		"half a workbook":   sound[:len(sound)/2],
		"broken XML":        broken,
		"2 million columns": []byte("Unit" + strings.Repeat(";", 2_000_000) + "\nCA-1\n"),
		"2 million heads":   []byte("Unit" + strings.Repeat(";x", 2_000_000) + "\nCA-1\n"),
		"33 MB":             make([]byte, 33<<20),
		"a cell of 1 MB":    []byte("Unit;Name\nCA-1;" + strings.Repeat("x", 1<<20)),
		"500,000 rows":      []byte("Unit;Name\n" + strings.Repeat("CA-1;x\n", 500_000)),
	} {
		begun := time.Now()
		got, err := Read(content)
		var refused *Error
		if !errors.As(err, &refused) || refused.Got == "" || refused.Accepted == "" {
			t.Errorf("%s: %v, %v", name, got, err)
		}
		if took := time.Since(begun); took > 5*time.Second {
			t.Errorf("%s: refused after %s", name, took)
		}
	}
}

func FuzzTabular(f *testing.F) {
	f.Add([]byte(plain))
	f.Add([]byte("PK\x03\x04"))
	f.Add([]byte("\xff\xfea\x00;\x00b\x00\n\x001\x00"))
	f.Fuzz(func(t *testing.T, content []byte) {
		table, err := Read(content)
		if err != nil {
			return
		}
		for _, row := range table.Rows {
			if len(row) != len(table.Heads) {
				t.Fatalf("a row of %d cells below %d headings", len(row), len(table.Heads))
			}
		}
	})
}
