package config

import (
	"bytes"
	"log/slog"
	"strings"
	"testing"
)

func none(string) string { return "" }

// A flag wins over its variable, a variable over the default.
func TestPrecedence(t *testing.T) {
	env := map[string]string{"DILIGENT_LOG": "info", "DILIGENT_APP_DSN": "app:p@tcp(db:3306)/fleet", "DILIGENT_DSN": "own:p@tcp(db:3306)/fleet", "DILIGENT_NO_DEMO": "true", "DILIGENT_PUBLIC": "https://fleet.example.org/"}
	c, err := Parse([]string{"--log", "error", "--port", "9000", "--proxies", "10.0.0.0/8, 192.0.2.0/24"}, func(name string) string { return env[name] }, &bytes.Buffer{})
	if err != nil {
		t.Fatal(err)
	}
	if c.Log != slog.LevelError || c.Listen != "127.0.0.1:9000" || c.Demo || c.Public != "https://fleet.example.org" || len(c.Proxies) != 2 || len(c.Hosts()) != 4 {
		t.Errorf("%+v", c)
	}
	if c.DSN != "own:p@tcp(db:3306)/fleet" || !strings.HasPrefix(c.AppDSN, "app:p@") {
		t.Errorf("databases %q, %q", c.DSN, c.AppDSN)
	}
	if c, err := Parse(nil, none, &bytes.Buffer{}); err != nil || !c.Demo || c.Log != slog.LevelWarn || c.DSN != "" || c.Listen != "127.0.0.1:0" {
		t.Errorf("by default %+v, %v", c, err)
	}
}

// What is refused names the setting, the value and what is accepted; a password is not repeated.
func TestRefused(t *testing.T) {
	for _, c := range []struct {
		args []string
		says string
	}{
		{[]string{"--port", "99999"}, "--port 99999 is not accepted; accepted: 1 to 65535"},
		{[]string{"--listen", "here"}, "host:port"},
		{[]string{"--public", "fleet"}, "https://fleet.example.org"},
		{[]string{"--proxies", "10.0.0.300"}, "networks such as"},
		{[]string{"--zone", "Mars"}, "Europe/Oslo"},
		{[]string{"--dsn", "secret"}, "user:password@tcp(host:port)/name"},
		{[]string{"--app-dsn", "a:secret@tcp(h:1)/d"}, "both, or neither"},
		{[]string{"--dsn", "a:secret@tcp(h:1)/d", "--fresh"}, "private database alone"},
		{[]string{"--weather", "rain"}, "standin, none"},
		{[]string{"--telematics", "radio"}, "standin, none"},
		{[]string{"--mail", "pigeon"}, "outbox"},
		{[]string{"--backups", "-1"}, "--backups -1 is not accepted; accepted: 0 to 1000"},
		{[]string{"--log", "loud"}, "debug, info, warn, error"},
		{[]string{"books"}, "is not an option"},
	} {
		_, err := Parse(c.args, none, &bytes.Buffer{})
		if err == nil || !strings.Contains(err.Error(), c.says) || strings.Contains(err.Error(), "secret") {
			t.Errorf("%v: %v, want %q", c.args, err, c.says)
		}
	}
	if _, err := Parse(nil, func(name string) string { return map[string]string{"DILIGENT_PORT": "x"}[name] }, &bytes.Buffer{}); err == nil || !strings.Contains(err.Error(), "DILIGENT_PORT") {
		t.Errorf("a variable that is no number: %v", err)
	}
}

// The help has every setting with its effect.
func TestHelp(t *testing.T) {
	var out bytes.Buffer
	if _, err := Parse([]string{"--help"}, none, &out); err == nil {
		t.Error("help is no start")
	}
	for _, name := range []string{"-listen", "-public", "-proxies", "-data", "-dsn", "-app-dsn", "-zone", "-weather", "-mail", "-log", "-no-demo", "-fresh", "DILIGENT_"} {
		if !strings.Contains(out.String(), name) {
			t.Errorf("nothing of %s in the help", name)
		}
	}
}
