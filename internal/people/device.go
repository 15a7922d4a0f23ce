package people

import (
	"context"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"diligentledger/internal/store"
)

// A device cookie says that a person signed in from this device before: a nonce, and a MAC
// over it, the account and its password's hash. A new password makes it invalid. It is no
// proof of identity; it only selects the counter of the device (OWASP, Slow Down Online
// Guessing Attacks with Device Cookies; from memory).

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

// knownDevice finds the cookie that was given to this person's device, and returns its nonce.
func (s *Service) knownDevice(p store.Person, cookies []string) (nonce string, known bool) {
	if len(s.deviceKey) == 0 || p.ID == 0 || p.Password == "" {
		return "", false
	}
	for _, cookie := range cookies {
		nonce, mac, ok := strings.Cut(cookie, ".")
		if ok && len(nonce) <= 64 && hmac.Equal([]byte(mac), []byte(s.deviceMAC(p, nonce))) {
			return nonce, true
		}
	}
	return "", false
}

// SealKey is the key, 256 bits, under which a device encrypts the unsent records of a person who is not signed in
// there. It is always the same for a person, by HKDF (RFC 5869) from the key of the installation, and only their
// sessions receive it. Errors: the key of the installation is not open.
func (s *Service) SealKey(person int64) ([]byte, error) {
	if len(s.deviceKey) == 0 {
		return nil, errors.New("the key of the installation is not open")
	}
	return hkdf.Key(sha256.New, s.deviceKey, nil, fmt.Sprintf("seal of person %d", person), 32)
}
