// Package standin holds simulated parts of the outside world, each behind the
// interface of the package that needs it.
package standin

import (
	"context"
	"errors"
	"fmt"
	"mime"
	"net/mail"
	"os"
	"strings"
	"time"
)

// Outbox takes the place of a mail server: each message becomes a file in RFC 5322
// form below Dir, for the coordinator to read or to send on. It is safe for
// concurrent use.
type Outbox struct {
	Dir string
	Now func() time.Time
}

// Send writes the message. The file is readable to its owner only, since it may
// hold a link that opens an account.
func (o Outbox) Send(_ context.Context, to, subject, text string) error {
	if strings.ContainsAny(to+subject, "\r\n") {
		return fmt.Errorf("mail to %q: a line break in address or subject", to)
	}
	address, err := mail.ParseAddress(to)
	if err != nil {
		return fmt.Errorf("mail to %q: %w", to, err)
	}
	if err := os.MkdirAll(o.Dir, 0o700); err != nil {
		return err
	}
	now := o.Now()
	f, err := os.CreateTemp(o.Dir, now.UTC().Format("20060102-150405-")+"*.eml") // 0600
	if err != nil {
		return err
	}
	_, err = fmt.Fprintf(f, "From: Diligent Ledger <ledger@localhost>\r\nTo: %s\r\nSubject: %s\r\nDate: %s\r\nMIME-Version: 1.0\r\n"+
		"Content-Type: text/plain; charset=utf-8\r\nContent-Transfer-Encoding: 8bit\r\n\r\n%s\r\n",
		address, mime.QEncoding.Encode("utf-8", subject), now.Format(time.RFC1123Z), strings.ReplaceAll(text, "\n", "\r\n"))
	return errors.Join(err, f.Close())
}
