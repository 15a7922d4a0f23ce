package label_test

import (
	"bytes"
	"strings"
	"testing"

	"diligentledger/internal/label"
)

// A code has its quiet zone of four modules (ISO/IEC 18004) and its three finders; one that is too long for a
// code says so.
func TestModules(t *testing.T) {
	rows, err := label.Modules("http://127.0.0.1:8080/units/CA-14")
	if err != nil {
		t.Fatal(err)
	}
	n := len(rows)
	light := strings.Repeat("0", n)
	for i, row := range rows {
		if len(row) != n || (i < 4 || i >= n-4) && row != light || !strings.HasPrefix(row, "0000") || !strings.HasSuffix(row, "0000") {
			t.Errorf("row %d of %d: %s", i, n, row)
		}
	}
	finder := "1111111"
	if rows[4][4:11] != finder || rows[4][n-11:n-4] != finder || rows[n-5][4:11] != finder {
		t.Errorf("a finder is missing: %s", rows[4])
	}
	if _, err := label.Modules(strings.Repeat("x", 4000)); err == nil {
		t.Error("4,000 letters make a code")
	}
}

// Sheets hold names in every script that the font has, long ones cut, and no label is an empty sheet.
func TestPDF(t *testing.T) {
	one := label.Label{Code: "HB-02", Name: "pilot boat Ægir, Ærø, Łódź, Ελλάδα, с длинным названием, which goes on and on and on", Address: "http://127.0.0.1/units/HB-02",
		Lines: []string{"Tern PG concentrate, 48\u00a0%", "renewed 25 Feb 2025", "next due 27 Nov 2026: level"}}
	long := one
	long.Code = "A-VERY-LONG-NUMBER-00017"
	for name, l := range label.Layouts {
		for _, n := range []int{0, 1, 2, 22} {
			labels := make([]label.Label, n)
			for i := range labels {
				if labels[i] = one; i%2 == 1 {
					labels[i] = long
				}
			}
			var out bytes.Buffer
			if err := label.PDF(&out, labels, l); err != nil || !bytes.HasPrefix(out.Bytes(), []byte("%PDF-")) || !bytes.Contains(out.Bytes(), []byte("%%EOF")) {
				t.Errorf("%s of %d: %d bytes, %v", name, n, out.Len(), err)
			}
		}
	}
}
