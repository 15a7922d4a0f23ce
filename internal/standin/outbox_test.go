package standin

import (
	"net/mail"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"
)

// A letter is a file in the form of RFC 5322, which the standard library's own
// reader reads back.
func TestOutbox(t *testing.T) {
	o := Outbox{Dir: filepath.Join(t.TempDir(), "outbox"), Now: func() time.Time { return time.Date(2026, 11, 24, 9, 0, 0, 0, time.UTC) }}
	if err := o.Send(t.Context(), "a.brook@skerrow.example", "Zugang für Åse", "first line\nsecond"); err != nil {
		t.Fatal(err)
	}
	files, err := filepath.Glob(filepath.Join(o.Dir, "20261124-090000-*.eml"))
	if err != nil || len(files) != 1 {
		t.Fatalf("files %v, %v", files, err)
	}
	f, err := os.Open(files[0])
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	m, err := mail.ReadMessage(f)
	if err != nil {
		t.Fatal(err)
	}
	to, err := m.Header.AddressList("To")
	if err != nil || len(to) != 1 || to[0].Address != "a.brook@skerrow.example" {
		t.Errorf("to %v, %v", to, err)
	}
	if date, err := m.Header.Date(); err != nil || !date.Equal(o.Now()) {
		t.Errorf("date %v, %v", date, err)
	}
	var body strings.Builder
	buf := make([]byte, 1024)
	n, _ := m.Body.Read(buf) // the whole of a short letter
	body.Write(buf[:n])
	if body.String() != "first line\r\nsecond\r\n" {
		t.Errorf("body %q", body.String())
	}
	for _, bad := range [][2]string{{"a@b.example\r\nBcc: c@d.example", "x"}, {"nobody", "x"}, {"a@b.example", "x\ny"}} {
		if err := o.Send(t.Context(), bad[0], bad[1], ""); err == nil {
			t.Errorf("%q was sent", bad)
		}
	}
}
