package web

import (
	"context"
	"fmt"
	"io"
	"time"

	"github.com/xuri/excelize/v2"

	"diligentledger/api"
	"diligentledger/core/refusal"
)

// mostCells of a workbook (judgement): a list of 100,000 units has 1,200,000.
const mostCells = 1_500_000

// MakeWorkbook of a list. Cells are written as what they are: a text that begins with = stays a text.
func (h handlers) MakeWorkbook(_ context.Context, r api.MakeWorkbookRequestObject) (api.MakeWorkbookResponseObject, error) {
	if cells := len(r.Body.Heads) * len(r.Body.Rows); cells > mostCells {
		return nil, refusal.New("/rows", fmt.Sprintf("%d cells", cells), fmt.Sprintf("at most %d; take the list as CSV, or narrow it by a filter", mostCells))
	}
	f := excelize.NewFile()
	sheet, err := f.NewStreamWriter("Sheet1")
	if err != nil {
		return nil, err
	}
	bold, err := f.NewStyle(&excelize.Style{Font: &excelize.Font{Bold: true}})
	if err != nil {
		return nil, err
	}
	heads := make([]any, len(r.Body.Heads))
	for i, head := range r.Body.Heads {
		heads[i] = excelize.Cell{StyleID: bold, Value: head}
	}
	if err := sheet.SetRow("A1", heads); err != nil {
		return nil, err
	}
	for n, row := range r.Body.Rows {
		if len(row) > len(heads) {
			return nil, refusal.New(fmt.Sprintf("/rows/%d", n), fmt.Sprintf("%d cells", len(row)), fmt.Sprintf("at most %d, as there are headings", len(heads)))
		}
		cells := make([]any, len(row))
		for i, c := range row {
			if number, err := c.AsWorkbookRows1(); err == nil {
				cells[i] = number
			} else if text, err := c.AsWorkbookRows0(); err == nil && text != "" {
				cells[i] = text
			}
		}
		if err := sheet.SetRow(fmt.Sprint("A", n+2), cells); err != nil {
			return nil, err
		}
	}
	if err := sheet.Flush(); err != nil {
		return nil, err
	}
	out, in := io.Pipe()
	go func() {
		err := f.Write(in)
		_ = f.Close()
		_ = in.CloseWithError(err) // nil is the end of the file
	}()
	return api.MakeWorkbook200ApplicationvndOpenxmlformatsOfficedocumentSpreadsheetmlSheetResponse{Body: out}, nil
}

// GetArchive of everything.
func (h handlers) GetArchive(ctx context.Context, _ api.GetArchiveRequestObject) (api.GetArchiveResponseObject, error) {
	if err := h.fleet.Exported(ctx, by(ctx)); err != nil {
		return nil, err
	}
	out, in := io.Pipe()
	go func() {
		_ = in.CloseWithError(h.fleet.Archive(ctx, in)) // what went wrong ends the answer, which is no ZIP then
	}()
	disposition := fmt.Sprintf(`attachment; filename="diligent-%s.zip"`, h.fleet.Now().UTC().Format(time.DateOnly))
	return api.GetArchive200ApplicationzipResponse{Body: out, Headers: api.GetArchive200ResponseHeaders{ContentDisposition: &disposition}}, nil
}
