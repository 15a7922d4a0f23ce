package paper

import (
	"fmt"
	"io"

	"github.com/go-pdf/fpdf"
)

// PlanPage is a week of a technician or a bay.
type PlanPage struct {
	Title, Under string
	Days         []PlanDay
	Notes        []string
}

// PlanDay is a day of a page.
type PlanDay struct {
	Day, Note string
	Lines     []PlanLine
}

// PlanLine is a job of a day.
type PlanLine struct{ Unit, Work, Place, Times, Night string }

// Plan of a week, a page for each technician or bay; more where a week does not fit one.
func Plan(out io.Writer, title string, pages []PlanPage) error {
	pdf := open(title)
	for _, p := range pages {
		planPage(pdf, p)
	}
	if len(pages) == 0 {
		planPage(pdf, PlanPage{Title: title, Under: "nothing is planned"})
	}
	return pdf.Output(out)
}

func planPage(pdf *fpdf.Fpdf, p PlanPage) {
	head := func() {
		pdf.AddPage()
		pdf.SetXY(margin, margin)
		pdf.SetFont("go", "B", 14)
		pdf.CellFormat(0, 7, clean(p.Title), "", 1, "L", false, 0, "")
		pdf.SetFont("go", "", 9)
		pdf.SetX(margin)
		pdf.MultiCell(0, 4.5, clean(p.Under), "", "L", false)
		pdf.Line(margin, pdf.GetY()+1, wide-margin, pdf.GetY()+1)
		pdf.SetY(pdf.GetY() + 3)
	}
	head()
	room := func(mm float64) {
		if pdf.GetY()+mm > high-margin {
			head()
		}
	}
	for _, d := range p.Days {
		room(14)
		pdf.SetFont("go", "B", 10)
		pdf.SetX(margin)
		pdf.CellFormat(0, 6, clean(d.Day+dash(d.Note)), "", 1, "L", false, 0, "")
		pdf.SetFont("go", "", 8.5)
		for _, l := range d.Lines {
			room(11)
			pdf.SetX(margin)
			for i, cell := range []struct {
				text string
				wide float64
			}{{"[ ] " + l.Unit, 30}, {l.Work, 38}, {l.Place, 46}, {l.Times, wide - 2*margin - 114}} {
				ln := 0
				if i == 3 {
					ln = 1
				}
				pdf.CellFormat(cell.wide, 5, fit(pdf, clean(cell.text), cell.wide-1), "", ln, "L", false, 0, "")
			}
			if l.Night != "" {
				pdf.SetX(margin + 30)
				pdf.CellFormat(0, 4.5, fit(pdf, clean("! "+l.Night), wide-2*margin-31), "", 1, "L", false, 0, "")
			}
			pdf.SetDrawColor(180, 180, 180)
			pdf.Line(margin, pdf.GetY(), wide-margin, pdf.GetY())
		}
		if len(d.Lines) == 0 {
			pdf.SetX(margin)
			pdf.CellFormat(0, 5, "-", "", 1, "L", false, 0, "")
		}
		pdf.SetY(pdf.GetY() + 2)
	}
	pdf.SetFont("go", "", 8)
	for _, n := range p.Notes {
		room(9)
		pdf.SetX(margin)
		pdf.MultiCell(0, 4, clean(n), "", "L", false)
	}
}

func dash(note string) string {
	if note == "" {
		return ""
	}
	return "  ·  " + note
}

// fit a text into a width, cut with dots.
func fit(pdf *fpdf.Fpdf, text string, width float64) string {
	if pdf.GetStringWidth(text) <= width {
		return text
	}
	runes := []rune(text)
	for len(runes) > 1 && pdf.GetStringWidth(string(runes)+"…") > width {
		runes = runes[:len(runes)-1]
	}
	return fmt.Sprintf("%s…", string(runes))
}
