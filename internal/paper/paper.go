// Package paper draws jobs as PDF: a sheet of one page to write on, and the record of a job that was done.
package paper

import (
	"fmt"
	"io"
	"strings"

	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"

	"diligentledger/internal/sheet"
)

// A4 with its margins, mm.
const (
	wide, high = 210.0, 297.0
	margin     = 12.0
)

func open(title string) *fpdf.Fpdf {
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: fpdf.SizeType{Wd: wide, Ht: high}})
	pdf.SetMargins(margin, margin, margin)
	pdf.SetAutoPageBreak(false, margin)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.SetTitle(title, true)
	return pdf
}

// clean text: the font has no narrow characters.
func clean(text string) string {
	return strings.NewReplacer("\u00a0", " ", "−", "-", "×", "x", "·", "·").Replace(text)
}

// Sheets to write on, a page for each job.
func Sheets(out io.Writer, jobs []sheet.View) error {
	pdf := open("Job sheets")
	for _, v := range jobs {
		blank(pdf, v)
	}
	return pdf.Output(out)
}

// line of a sheet: text with room to write behind it.
type line struct {
	text  string
	bold  bool
	rule  bool // room to write
	after float64
}

func blank(pdf *fpdf.Fpdf, v sheet.View) {
	pdf.AddPage()
	head(pdf, v, "Job sheet")
	top := pdf.GetY() + 1
	lines := blankLines(v)
	bottom := high - margin - 16
	const columns = 2
	column := (wide - 2*margin - 6) / columns
	size := 8.5
	for ; size > 4.5; size -= 0.25 {
		if height(pdf, lines, size, column) <= columns*(bottom-top)-10 {
			break
		}
	}
	x, y := margin, top
	for _, l := range lines {
		parts := split(pdf, l, size, column)
		need := float64(len(parts))*leading(size) + l.after
		if y+need > bottom && x == margin {
			x, y = margin+column+6, top
		}
		for i, text := range parts {
			pdf.SetXY(x, y)
			pdf.CellFormat(column, leading(size), text, "", 0, "L", false, 0, "")
			if l.rule && i == len(parts)-1 {
				from := x + pdf.GetStringWidth(text) + 2
				pdf.SetDrawColor(120, 120, 120)
				pdf.Line(min(from, x+column-24), y+leading(size)-0.6, x+column, y+leading(size)-0.6)
			}
			y += leading(size)
		}
		y += l.after
	}
	pdf.SetFont("go", "", 8)
	pdf.SetXY(margin, high-margin-13)
	pdf.CellFormat(0, 5, "Done by ______________________________   Date ______________   Released by ______________________________   Role ______________", "", 1, "L", false, 0, "")
	pdf.SetX(margin)
	foot := "Less in than out: air is trapped. Do not release it. The maker's manual overrides every default here."
	if v.Release.Plane {
		foot = "Prepared, not approved data: approved maintenance data and a licensed signatory decide. Certificate number and kind: ____________________________"
	}
	pdf.CellFormat(0, 5, clean(foot), "", 0, "L", false, 0, "")
}

func leading(size float64) float64 { return size * 0.46 }

func split(pdf *fpdf.Fpdf, l line, size, column float64) []string {
	style := ""
	if l.bold {
		style = "B"
	}
	pdf.SetFont("go", style, size)
	room := column
	if l.rule {
		room -= 26
	}
	return pdf.SplitText(clean(l.text), room)
}

func height(pdf *fpdf.Fpdf, lines []line, size, column float64) (sum float64) {
	for _, l := range lines {
		sum += float64(len(split(pdf, l, size, column)))*leading(size) + l.after
	}
	return sum
}

// head of a page: unit, job, method.
func head(pdf *fpdf.Fpdf, v sheet.View, what string) {
	pdf.SetFont("go", "B", 14)
	pdf.SetXY(margin, margin)
	pdf.CellFormat(0, 7, clean(v.Unit+"  "+v.Title), "", 1, "L", false, 0, "")
	pdf.SetFont("go", "", 9)
	text := v.Name + " · " + what + " · " + strings.Join(v.Method, ", ")
	if v.Exercise {
		text = "EXERCISE on a simulated unit · " + text
	}
	pdf.MultiCell(0, 4.5, clean(text+" · "+strings.Join(v.Totals[:min(1, len(v.Totals))], "")), "", "L", false)
	pdf.SetDrawColor(0, 0, 0)
	pdf.Line(margin, pdf.GetY()+1, wide-margin, pdf.GetY()+1)
	pdf.SetY(pdf.GetY() + 2)
}

func blankLines(v sheet.View) (all []line) {
	add := func(text string, bold bool) { all = append(all, line{text: text, bold: bold}) }
	add("Cautions", true)
	for _, c := range v.Cautions {
		add("! "+c, false)
	}
	for _, part := range []struct {
		title string
		lines []string
	}{{"Tools", v.Tools}, {"Parts", v.Parts}, {"Coolant", v.Pour}, {"What to pour, by the books", v.Plan}} {
		if len(part.lines) > 0 {
			add(part.title, true)
			add(strings.Join(part.lines, "; "), false)
		}
	}
	all[len(all)-1].after = 1.5
	n := 0
	for _, s := range v.Steps {
		if s.Key == "release" {
			continue
		}
		n++
		title := fmt.Sprintf("%d  %s", n, s.Title)
		if s.Gate != "" {
			title += "  [gate: " + s.Gate + "]"
		}
		add(title, true)
		var facts []string
		for _, f := range s.Facts {
			facts = append(facts, strings.TrimSpace(f.Label+" "+f.Text))
		}
		if len(facts) > 0 {
			add(strings.Join(facts, "; "), false)
		}
		for _, f := range s.Fields {
			all = append(all, line{text: fieldLine(f), rule: true})
		}
		if s.Sums {
			for _, what := range []string{"Out, all points", "In, all pours", "Difference"} {
				all = append(all, line{text: what, rule: true})
			}
		}
		all[len(all)-1].after = 0.7
	}
	return all
}

func fieldLine(f sheet.Field) string {
	text := f.Label
	if f.Unit != "" {
		text += " (" + f.Unit + ")"
	}
	if len(f.Choices) == 1 {
		return "[ ] " + text
	}
	if len(f.Choices) > 1 && len(f.Choices) <= 4 {
		var names []string
		for _, c := range f.Choices {
			names = append(names, "[ ] "+c.Name)
		}
		text += ": " + strings.Join(names, " ")
	}
	if f.Optional {
		text += " (optional)"
	}
	return text
}

// Record of a job: every step with what was recorded, by whom and when, the gates, the balance, the entries in the ledger and
// the release.
func Record(out io.Writer, v sheet.View, entries, release []string) error {
	pdf := open("Record of " + v.Unit)
	pdf.SetAutoPageBreak(true, margin)
	pdf.SetFooterFunc(func() {
		pdf.SetY(-10)
		pdf.SetFont("go", "", 7)
		pdf.CellFormat(0, 4, clean(fmt.Sprintf("%s  %s  job %s  page %d", v.Unit, v.Title, v.Key, pdf.PageNo())), "", 0, "L", false, 0, "")
	})
	pdf.AddPage()
	head(pdf, v, "Record")
	section := func(title string, lines []string) {
		if len(lines) == 0 {
			return
		}
		pdf.SetFont("go", "B", 10)
		pdf.Ln(1.5)
		pdf.MultiCell(0, 5, clean(title), "", "L", false)
		pdf.SetFont("go", "", 8.5)
		for _, l := range lines {
			pdf.SetX(margin)
			pdf.MultiCell(0, 4.2, clean(l), "", "L", false)
		}
	}
	state := v.PhaseIs
	if v.Ended != "" {
		state = v.Ended
	}
	section("State", []string{state})
	section("Release", release)
	var gates []string
	for _, g := range v.Gates {
		gates = append(gates, g.Name+": "+g.Is)
	}
	section("Gates", []string{strings.Join(gates, " · ")})
	var balance []string
	if v.Balance != "" {
		balance = append(balance, v.Balance)
	}
	section("Volume and strength", append(balance, strings.Join(v.Totals, " · ")))
	pdf.SetFont("go", "B", 10)
	pdf.Ln(1.5)
	pdf.MultiCell(0, 5, "Steps", "", "L", false)
	for i, s := range v.Steps {
		if s.Answer == nil && s.Override == "" && !s.Sums {
			continue
		}
		pdf.SetFont("go", "B", 8.5)
		pdf.MultiCell(0, 4.4, clean(fmt.Sprintf("%d  %s: %s", i+1, s.Title, s.StatusIs)), "", "L", false)
		pdf.SetFont("go", "", 8.5)
		var parts []string
		for _, f := range s.Facts {
			parts = append(parts, strings.TrimSpace(f.Label+" "+f.Text))
		}
		if len(parts) > 0 {
			pdf.MultiCell(0, 4.2, clean("    given: "+strings.Join(parts, "; ")), "", "L", false)
		}
		for _, a := range s.Others {
			pdf.MultiCell(0, 4.2, clean("    another answer, which does not count: "+answered(a)), "", "L", false)
		}
		if s.Answer != nil {
			pdf.MultiCell(0, 4.2, clean("    recorded: "+answered(*s.Answer)), "", "L", false)
		}
		for _, why := range s.Why {
			pdf.MultiCell(0, 4.2, clean("    "+why), "", "L", false)
		}
		if s.Override != "" {
			pdf.MultiCell(0, 4.2, clean("    "+s.Override), "", "L", false)
		}
	}
	section("Recorded, not counted", v.Unplaced)
	section("Entries in the ledger", entries)
	section("People", []string{strings.Join(v.People, ", ")})
	section("Cautions", v.Cautions)
	if v.Release.Plane {
		section("", []string{"Prepared by this program, not approved data. Approved maintenance data and a licensed signatory decide."})
	}
	return pdf.Output(out)
}

func answered(a sheet.Answer) string {
	var parts []string
	for _, f := range a.Values {
		parts = append(parts, f.Label+": "+f.Text)
	}
	return strings.Join(parts, "; ") + " (" + a.By + ", " + a.At + ")"
}
