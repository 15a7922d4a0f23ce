package people

import (
	"context"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"fmt"
	"strings"

	"diligentledger/internal/store"
)

// A device cookie says that a person signed in from this device before: a nonce, and a MAC
// over it, the account and its password's hash. A new password makes it worth nothing. It lets
// nobody in; it only has tries counted by the device (OWASP, Slow Down Online Guessing Attacks
// with Device Cookies; from memory).

// deviceKeyFact is where the key of the cookies is kept.
const deviceKeyFact = "device_key"

// OpenDevices reads the key of the device cookies, and makes it at the first start.
func (s *Service) OpenDevices(ctx context.Context) error {
	fresh := make([]byte, 32)
	_, _ = rand.Read(fresh) // never fails: documented to end the program instead
	text, err := s.Store.FactOnce(ctx, deviceKeyFact, base64.RawStdEncoding.EncodeToString(fresh))
	if err != nil {
		return err
	}
	if s.deviceKey, err = base64.RawStdEncoding.DecodeString(text); err != nil || len(s.deviceKey) < 32 {
		return fmt.Errorf("the key of the device cookies is damaged: %w", err)
	}
	return nil
}

func (s *Service) deviceMAC(p store.Person, nonce string) string {
	mac := hmac.New(sha256.New, s.deviceKey)
	fmt.Fprintf(mac, "%d\x00%s\x00%s\x00%s", p.ID, p.Email, nonce, p.Password)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
}

// deviceCookie for a person who has just signed in.
func (s *Service) deviceCookie(p store.Person) string {
	if len(s.deviceKey) == 0 {
		return ""
	}
	nonce := secret()
	return nonce + "." + s.deviceMAC(p, nonce)
}

// knows reports whether a cookie was given to this person's device, and its nonce.
func (s *Service) knows(p store.Person, cookie string) (nonce string, known bool) {
	nonce, mac, ok := strings.Cut(cookie, ".")
	if !ok || len(s.deviceKey) == 0 || p.ID == 0 || p.Password == "" || len(nonce) > 64 {
		return "", false
	}
	return nonce, hmac.Equal([]byte(mac), []byte(s.deviceMAC(p, nonce)))
}
