// Package label draws the labels of units: a QR code of the unit's address (ISO/IEC 18004, by package
// barcode), its number, and what is inside.
package label

import (
	"fmt"
	"io"
	"strings"

	"github.com/boombuler/barcode/qr"
	"github.com/go-pdf/fpdf"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// Label of a unit.
type Label struct {
	Code, Name string
	Address    string   // what the QR code says
	Lines      []string // product and strength, renewed on, next due
}

// quiet zone around a QR code in modules, by the standard.
const quiet = 4

// Modules of the QR code of a text, row by row, 1 for dark, with the quiet zone. Error correction M:
// a label in a workshop is scratched and greasy.
func Modules(text string) ([]string, error) {
	code, err := qr.Encode(text, qr.M, qr.Auto)
	if err != nil {
		return nil, fmt.Errorf("QR code of %q: %w", text, err)
	}
	size := code.Bounds().Dx()
	rows := make([]string, size+2*quiet)
	for y := range rows {
		var b strings.Builder
		for x := range rows {
			dark := "0"
			if x >= quiet && y >= quiet && x < size+quiet && y < size+quiet {
				if r, _, _, _ := code.At(x-quiet, y-quiet).RGBA(); r == 0 {
					dark = "1"
				}
			}
			b.WriteString(dark)
		}
		rows[y] = b.String()
	}
	return rows, nil
}

// Layout of a sheet, mm.
type Layout struct {
	page          fpdf.SizeType
	columns, rows int
	left, top     float64
	wide, high    float64
}

// Layouts by name: 21 labels of 63.5 × 38.1 mm to an A4 sheet, the common size of label sheets, and one
// to a page of its size.
var Layouts = map[string]Layout{
	"a4":     {fpdf.SizeType{Wd: 210, Ht: 297}, 3, 7, 7.25, 15.15, 66, 38.1},
	"single": {fpdf.SizeType{Wd: 63.5, Ht: 38.1}, 1, 1, 0, 0, 63.5, 38.1},
}

// PDF of labels in a layout.
func PDF(out io.Writer, labels []Label, l Layout) error {
	pdf := fpdf.NewCustom(&fpdf.InitType{UnitStr: "mm", Size: l.page})
	pdf.SetMargins(0, 0, 0)
	pdf.SetAutoPageBreak(false, 0)
	pdf.AddUTF8FontFromBytes("go", "", goregular.TTF)
	pdf.AddUTF8FontFromBytes("go", "B", gobold.TTF)
	pdf.SetTitle("Labels", true)
	for i, one := range labels {
		at := i % (l.columns * l.rows)
		if at == 0 {
			pdf.AddPageFormat("P", l.page)
		}
		if err := draw(pdf, one, l.left+float64(at%l.columns)*l.wide, l.top+float64(at/l.columns)*l.high); err != nil {
			return err
		}
	}
	if len(labels) == 0 {
		pdf.AddPageFormat("P", l.page)
	}
	return pdf.Output(out)
}

// Sizes on a label, mm: the code, and the text beside it.
const (
	codeSize  = 26
	padding   = 2.5
	textWidth = 63.5 - codeSize - 2*padding
)

func draw(pdf *fpdf.Fpdf, one Label, x, y float64) error {
	rows, err := Modules(one.Address)
	if err != nil {
		return err
	}
	module := codeSize / float64(len(rows))
	pdf.SetFillColor(0, 0, 0)
	for r, row := range rows {
		// Runs of dark modules are one rectangle: no hair lines between them.
		for c := 0; c < len(row); {
			n := 0
			for c+n < len(row) && row[c+n] == '1' {
				n++
			}
			if n > 0 {
				pdf.Rect(x+padding/2+float64(c)*module, y+padding+float64(r)*module, float64(n)*module, module, "F")
			}
			c += max(n, 1)
		}
	}
	left := x + codeSize + padding
	pdf.SetXY(left, y+padding+1.5)
	pdf.SetFont("go", "B", fitted(pdf, one.Code, 16, textWidth))
	pdf.CellFormat(textWidth, 7, one.Code, "", 2, "L", false, 0, "")
	pdf.SetFont("go", "", 7)
	pdf.SetX(left)
	for _, line := range append([]string{one.Name}, one.Lines...) {
		for _, part := range wrapped(pdf, line, 3) {
			if pdf.GetY() > y+34 {
				return nil
			}
			pdf.SetX(left)
			pdf.CellFormat(textWidth, 2.9, part, "", 2, "L", false, 0, "")
		}
	}
	return pdf.Error()
}

// fitted size of the bold font, pt, in which a text is no wider than a width.
func fitted(pdf *fpdf.Fpdf, text string, size, width float64) float64 {
	pdf.SetFont("go", "B", size)
	if w := pdf.GetStringWidth(text); w > width-1 {
		return max(5, size*(width-1)/w)
	}
	return size
}

// wrapped lines of a text, at most a number of them; what is left over is cut with an ellipsis.
func wrapped(pdf *fpdf.Fpdf, text string, most int) []string {
	lines := pdf.SplitText(text, textWidth)
	if len(lines) > most {
		lines = lines[:most]
		lines[most-1] = strings.TrimRight(lines[most-1], " ,") + " …"
	}
	return lines
}
