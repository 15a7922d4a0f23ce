// Package tabular reads a table of texts out of a file that an office keeps: comma-separated values
// in any usual encoding and with any usual separator, or a workbook (XLSX). It finds the row of
// headings, and says what it took the file for.
//
// A file that is larger, wider or longer than a fleet's could be is refused before it is unpacked: the
// limits are below. Cells are given as they are in the file: numbers of a workbook without their
// format, so that a day is the number of days since the end of 1899 ([Table.Serial]).
package tabular

import (
	"archive/zip"
	"bytes"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/xuri/excelize/v2"
	"golang.org/x/text/encoding/charmap"
	textunicode "golang.org/x/text/encoding/unicode"
)

// Limits of a file (judgement: 10,000 units with 200,000 lines of history fit in several times).
const (
	MostBytes    = 32 << 20
	mostUnpacked = 400 << 20
	mostPart     = 300 << 20
	mostRows     = 400_000
	mostColumns  = 200
	longestCell  = 4_000 // characters
)

// Error says why a file is not read.
type Error struct{ Got, Accepted string }

func (e *Error) Error() string { return e.Got + "; accepted: " + e.Accepted }

func refuse(got, accepted string) error { return &Error{got, accepted} }

// Table of texts.
type Table struct {
	// Format is csv or xlsx; Encoding and Separator are those of a CSV, Sheet the name of a
	// workbook's.
	Format, Encoding, Sheet string
	Separator               rune
	// Header is the index of the row of headings, Heads are its texts.
	Header int
	Heads  []string
	// Rows after the headings, each as long as Heads; blank ones are left out. Numbers are
	// their places in the file, from 1.
	Rows    [][]string
	Numbers []int
	// Serial: days may be numbers of days, as a workbook has them; From1904 counts them from then.
	Serial, From1904 bool
}

// Day of a number of days, as a workbook keeps it; false when it is none.
func (t *Table) Day(serial float64) (time.Time, bool) {
	if !t.Serial || !(serial >= 1 && serial < 2_958_466) { // to the end of 9999
		return time.Time{}, false
	}
	day, err := excelize.ExcelDateToTime(serial, t.From1904)
	return day, err == nil
}

// Read a file by its content; its name is not trusted. An [Error] says why it is not accepted.
func Read(content []byte) (*Table, error) {
	if len(content) > MostBytes {
		return nil, TooLarge(int64(len(content)))
	}
	if len(bytes.TrimSpace(content)) == 0 {
		return nil, refuse("an empty file", "a table with a row of headings")
	}
	var t *Table
	var err error
	if bytes.HasPrefix(content, []byte("PK\x03\x04")) {
		t, err = readWorkbook(content)
	} else {
		t, err = readCSV(content)
	}
	if err != nil {
		return nil, err
	}
	return t.headed()
}

// TooLarge file of n bytes.
func TooLarge(n int64) error {
	return refuse(fmt.Sprintf("a file of %d MB", n>>20), fmt.Sprintf("at most %d MB", MostBytes>>20))
}

// readWorkbook of its fullest sheet among the first ones.
func readWorkbook(content []byte) (t *Table, err error) {
	defer func() {
		if cause := recover(); cause != nil {
			t, err = nil, refuse(fmt.Sprintf("a workbook that cannot be read (%v)", cause), "an XLSX file as a spreadsheet program writes it")
		}
	}()
	if err := checkZip(content); err != nil {
		return nil, err
	}
	f, err := excelize.OpenReader(bytes.NewReader(content), excelize.Options{RawCellValue: true, UnzipSizeLimit: mostUnpacked, UnzipXMLSizeLimit: 16 << 20})
	if err != nil {
		return nil, refuse("a workbook that cannot be read ("+firstLine(err.Error())+")", "an XLSX file as a spreadsheet program writes it, without a password")
	}
	defer f.Close()
	const mostSheets = 20
	best := (*Table)(nil)
	for i, name := range f.GetSheetList() {
		if i == mostSheets {
			break
		}
		one, err := readSheet(f, name)
		if err != nil {
			return nil, err
		}
		if best == nil || len(one.Rows) > len(best.Rows) {
			best = one
		}
	}
	if best == nil {
		return nil, refuse("a workbook without a sheet", "a table with a row of headings")
	}
	if props, err := f.GetWorkbookProps(); err == nil && props.Date1904 != nil {
		best.From1904 = *props.Date1904
	}
	return best, nil
}

// checkZip before anything is unpacked: what it says it holds.
func checkZip(content []byte) error {
	z, err := zip.NewReader(bytes.NewReader(content), int64(len(content)))
	if err != nil {
		return refuse("a workbook that is damaged", "an XLSX file as a spreadsheet program writes it")
	}
	var all uint64
	for _, part := range z.File {
		all += part.UncompressedSize64
		if part.UncompressedSize64 > mostPart || all > mostUnpacked || part.UncompressedSize64 > 1<<20 && part.UncompressedSize64/200 > max(1, part.CompressedSize64) {
			return refuse("a workbook that unpacks to more than a fleet's could hold", fmt.Sprintf("at most %d MB unpacked", mostUnpacked>>20))
		}
	}
	return nil
}

func readSheet(f *excelize.File, name string) (*Table, error) {
	t := &Table{Format: "xlsx", Sheet: name, Serial: true}
	rows, err := f.Rows(name)
	if err != nil {
		return nil, refuse("a sheet that cannot be read ("+firstLine(err.Error())+")", "an XLSX file as a spreadsheet program writes it")
	}
	defer rows.Close()
	for n := 1; rows.Next(); n++ {
		if n > excelize.TotalRows { // blank rows up to a number that a file says
			return nil, refuse(fmt.Sprintf("sheet %s with a row of number %d or more", name, n), fmt.Sprintf("at most %d rows", excelize.TotalRows))
		}
		cells, err := rows.Columns()
		if err != nil {
			return nil, refuse(fmt.Sprintf("row %d of sheet %s, which cannot be read (%s)", n, name, firstLine(err.Error())), "an XLSX file as a spreadsheet program writes it")
		}
		if err := markNumbers(f, name, n, cells); err != nil {
			return nil, err
		}
		if err := t.add(cells, n); err != nil {
			return nil, err
		}
	}
	if err := rows.Error(); err != nil { // such as a row of a number that no sheet has
		return nil, refuse(fmt.Sprintf("sheet %s, which cannot be read (%s)", name, firstLine(err.Error())), "an XLSX file as a spreadsheet program writes it")
	}
	return t, nil
}

// threeDecimals is how a number of a workbook stands that a text could mean another way.
var threeDecimals = regexp.MustCompile(`^-?[1-9]\d{0,2}\.\d{3}$`)

// markNumbers adds a zero to the numbers of a row that end in a point and three digits: a workbook writes decimals with
// a point,
// a text in it may mean thousands.
func markNumbers(f *excelize.File, sheet string, row int, cells []string) error {
	for i, cell := range cells {
		if !threeDecimals.MatchString(cell) {
			continue
		}
		at, err := excelize.CoordinatesToCellName(i+1, row)
		if err != nil {
			return err
		}
		kind, err := f.GetCellType(sheet, at)
		if err != nil {
			return err
		}
		if kind == excelize.CellTypeNumber || kind == excelize.CellTypeUnset || kind == excelize.CellTypeFormula {
			cells[i] += "0"
		}
	}
	return nil
}

// add a row unless it is blank.
func (t *Table) add(cells []string, number int) error {
	last := 0
	for i, c := range cells {
		c = strings.TrimSpace(c)
		if utf8.RuneCountInString(c) > longestCell {
			return refuse(fmt.Sprintf("a cell of %d characters in row %d", utf8.RuneCountInString(c), number), fmt.Sprintf("at most %d", longestCell))
		}
		if cells[i] = c; c != "" {
			last = i + 1
		}
	}
	if last == 0 {
		return nil
	}
	if last > mostColumns {
		return refuse(fmt.Sprintf("a row of %d columns", last), fmt.Sprintf("at most %d", mostColumns))
	}
	if len(t.Rows) == mostRows {
		return refuse(fmt.Sprintf("more than %d rows", mostRows), "several files, one after the other")
	}
	t.Rows, t.Numbers = append(t.Rows, cells[:last:last]), append(t.Numbers, number)
	return nil
}

func firstLine(text string) string {
	text, _, _ = strings.Cut(text, "\n")
	if r := []rune(text); len(r) > 120 {
		text = string(r[:119]) + "…"
	}
	return text
}

// decoded text of a CSV and the name of its encoding: by its byte order mark, else UTF-8 where it
// is that, else Windows-1252, which older spreadsheet programs write.
func decoded(content []byte) (text, encoding string, err error) {
	switch {
	case bytes.HasPrefix(content, []byte("\xef\xbb\xbf")):
		return string(content[3:]), "UTF-8", nil
	case bytes.HasPrefix(content, []byte("\xff\xfe")), bytes.HasPrefix(content, []byte("\xfe\xff")):
		out, err := textunicode.UTF16(textunicode.LittleEndian, textunicode.UseBOM).NewDecoder().Bytes(content)
		if err != nil {
			return "", "", refuse("a text in UTF-16 that is damaged", "a text in UTF-8 or UTF-16")
		}
		return string(out), "UTF-16", nil
	case utf8.Valid(content):
		return string(content), "UTF-8", nil
	}
	out, err := charmap.Windows1252.NewDecoder().Bytes(content)
	return string(out), "Windows-1252", err
}

// separators in the order in which they win when they are alike.
var separators = []rune{';', '\t', ',', '|'}

func readCSV(content []byte) (*Table, error) {
	text, encoding, err := decoded(content)
	if err != nil {
		return nil, err
	}
	if strings.Contains(text[:min(len(text), 4096)], "\x00") {
		return nil, refuse("a file that is no text", "a text with separators (CSV), or a workbook (XLSX)")
	}
	separator, text := separatorOf(text)
	t := &Table{Format: "csv", Encoding: encoding, Separator: separator}
	r := csv.NewReader(strings.NewReader(text))
	r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.ReuseRecord = separator, true, -1, true
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			return t, nil
		}
		if err != nil {
			return nil, refuse("a text that cannot be read as a table ("+firstLine(err.Error())+")", "a text with separators (CSV)")
		}
		if len(record) > 4*mostColumns {
			return nil, refuse(fmt.Sprintf("a row of %d columns", len(record)), fmt.Sprintf("at most %d", mostColumns))
		}
		line, _ := r.FieldPos(0)
		cells := make([]string, len(record))
		for i, c := range record {
			cells[i] = strings.Clone(c)
		}
		if err := t.add(cells, line); err != nil {
			return nil, err
		}
	}
}

// separatorOf a text: the one that its first line names ("sep=;"), else the one that gives most of the first
// lines the same number of columns, more than one.
func separatorOf(text string) (rune, string) {
	if first, rest, ok := strings.Cut(text, "\n"); ok {
		if name, ok := strings.CutPrefix(strings.ToLower(strings.TrimSpace(first)), "sep="); ok && len([]rune(name)) == 1 {
			return []rune(name)[0], rest
		}
	}
	best, most := ',', 0
	for _, s := range separators {
		r := csv.NewReader(strings.NewReader(text[:min(len(text), 64<<10)]))
		r.Comma, r.LazyQuotes, r.FieldsPerRecord = s, true, -1
		counts := map[int]int{}
		for range 40 {
			record, err := r.Read()
			if err != nil {
				break
			}
			counts[len(record)]++
		}
		for columns, rows := range counts {
			if score := rows * min(columns, 40); columns > 1 && score > most {
				best, most = s, score
			}
		}
	}
	return best, text
}

// headed finds the row of headings: of the first rows, the one with the most texts that are no
// numbers and that rows follow as wide.
func (t *Table) headed() (*Table, error) {
	if len(t.Rows) == 0 {
		return nil, refuse("a file without a row", "a table with a row of headings")
	}
	best, most := 0, -1.0
	for i, row := range t.Rows[:min(len(t.Rows), 15)] {
		score := 0.0
		for _, c := range row {
			switch {
			case c == "":
			case strings.ContainsFunc(c, unicode.IsLetter) && len(c) <= 60:
				score++
			default:
				score -= 0.5
			}
		}
		if score -= 0.2 * float64(i); score > most {
			best, most = i, score
		}
	}
	t.Header = t.Numbers[best]
	t.Heads = t.Rows[best]
	t.Rows, t.Numbers = t.Rows[best+1:], t.Numbers[best+1:]
	width := len(t.Heads)
	for _, row := range t.Rows {
		width = max(width, len(row))
	}
	t.Heads = padded(t.Heads, width)
	for i := range t.Rows {
		t.Rows[i] = padded(t.Rows[i], width)
	}
	if len(t.Rows) == 0 {
		return nil, refuse("a file without a row below its headings", "a table with a row of headings")
	}
	return t, nil
}

func padded(cells []string, width int) []string {
	if len(cells) >= width {
		return cells
	}
	return append(cells[:len(cells):len(cells)], make([]string, width-len(cells))...)
}
