// Package config is every setting of the server, from flags and from the environment. A flag
// wins over its variable; `diligent serve --help` prints each with its default and its effect.
package config

import (
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"github.com/go-sql-driver/mysql"
)

// Config of the server.
type Config struct {
	// Listen is host and port; port 0 takes 8080 or the next free one. Default 127.0.0.1:0.
	Listen string
	// Public is the address under which browsers reach the server, which links in mail name;
	// empty takes the address it listens on. Its host is the one that requests must name.
	Public string
	// Proxies whose X-Forwarded-For names the client; none by default, and then the header is
	// ignored.
	Proxies []netip.Prefix
	// Zone of the fleet, to be set; empty keeps what is set, and takes the machine's for books
	// that have none.
	Zone string
	// Data is the absolute folder of the private database, the outbox and the lock. Default .run.
	Data string
	// DSN of an existing MariaDB, of a user who may change the schema; empty runs a private
	// server in Data.
	DSN string
	// AppDSN is the same database for the running program, whose user should have no more rights
	// than docs/architecture.md lists; empty takes DSN.
	AppDSN string
	// Weather service to ask: "standin" or "none"; empty takes the stand-in for the demo fleet,
	// whose sites it knows, and none for any other.
	Weather string
	// Telematics gateway: "standin" or "none"; empty takes the stand-in for the demo fleet.
	Telematics string
	// Probe is the digital refractometer of a round: "standin" or "none"; empty takes the stand-in for the
	// demo fleet.
	Probe string
	// Mail service: "outbox" writes messages as files into Data/outbox. The only one so far.
	Mail string
	// Backups of the nights that are kept in Data/backups; 0 writes none. Default 7.
	Backups int
	// Ahead is by how much the program's clock is ahead of the machine's, for tests: refused on books of
	// a fleet of one's own. Default 0.
	Ahead time.Duration
	// Log is the least level that is written: debug, info (with a line for each request), warn,
	// error. Default warn.
	Log slog.Level
	// Demo loads the demo fleet into empty books. Default true.
	Demo bool
	// Fresh throws the private database away first, after asking.
	Fresh bool
}

// What Weather and Mail may name.
const (
	WeatherStandIn = "standin"
	NoWeather      = "none"
	MailOutbox     = "outbox"
)

// Prefix of the environment variables: --log is DILIGENT_LOG.
const Prefix = "DILIGENT_"

// flags in the order of the help, each with its variable.
func (c *Config) flags(out io.Writer) (*flag.FlagSet, *parsed) {
	p := &parsed{}
	f := flag.NewFlagSet("./start", flag.ContinueOnError)
	f.SetOutput(out)
	f.StringVar(&c.Listen, "listen", "127.0.0.1:0", "host:port to listen on; port 0 takes 8080 or the next free one")
	f.IntVar(&p.port, "port", 0, "short for --listen 127.0.0.1:PORT")
	f.StringVar(&c.Public, "public", "", "address under which browsers reach it, such as https://fleet.example.org; links in mail name it (default: where it listens)")
	f.StringVar(&p.proxies, "proxies", "", "networks of proxies whose X-Forwarded-For is believed, comma between them, such as 10.0.0.0/8 (default: none)")
	f.StringVar(&c.Data, "data", ".run", "folder of the private database, the outbox and the lock")
	f.StringVar(&c.DSN, "dsn", "", "existing MariaDB to use, user:password@tcp(host:port)/name, of a user who may change the schema (default: a private server in --data)")
	f.StringVar(&c.AppDSN, "app-dsn", "", "the same database for the running program, of a user with fewer rights (default: --dsn)")
	f.StringVar(&c.Zone, "zone", "", "time zone of the fleet, such as Europe/Oslo (default: what is set, at first the machine's)")
	f.StringVar(&c.Weather, "weather", "", "weather service: standin (made-up nights) or none (default: standin with the demo fleet)")
	f.StringVar(&c.Telematics, "telematics", "", "telematics gateway: standin (made-up meter readings, a day after the fleet was loaded) or none (default: standin with the demo fleet)")
	f.StringVar(&c.Probe, "probe", "", "digital refractometer of a round: standin (made-up readings) or none (default: standin with the demo fleet)")
	f.StringVar(&c.Mail, "mail", MailOutbox, "mail service: outbox writes messages as files into the data folder")
	f.IntVar(&c.Backups, "backups", 7, "backups of the nights that are kept in the data folder; 0 writes none")
	f.DurationVar(&c.Ahead, "clock-ahead", 0, "for tests: by how much the program's clock is ahead of the machine's, such as 720h; on the demo fleet, or on books that began with it")
	f.StringVar(&p.log, "log", "warn", "least level that is logged as JSON lines: debug, info (a line for each request), warn, error")
	f.BoolVar(&p.noDemo, "no-demo", false, "begin with empty books instead of the demo fleet")
	f.BoolVar(&c.Fresh, "fresh", false, "throw the private database away and begin anew; asks first")
	f.Usage = func() {
		fmt.Fprintf(out, "Usage of ./start and diligent serve. Each option can be set in the environment instead, as %sNAME with _ for -.\n", Prefix)
		f.PrintDefaults()
	}
	return f, p
}

// parsed are settings as text.
type parsed struct {
	port         int
	proxies, log string
	noDemo       bool
}

// Parse the settings of serve from its arguments and the environment. An error names the
// setting, the value and what is accepted.
func Parse(args []string, getenv func(string) string, out io.Writer) (Config, error) {
	var c Config
	f, p := c.flags(out)
	var wrong error
	f.VisitAll(func(one *flag.Flag) {
		name := Prefix + strings.ToUpper(strings.ReplaceAll(one.Name, "-", "_"))
		if value := getenv(name); value != "" && wrong == nil {
			if err := f.Set(one.Name, value); err != nil {
				wrong = fmt.Errorf("%s=%q is not accepted; accepted: %s", name, value, one.Usage)
			}
		}
	})
	if wrong != nil {
		return c, wrong
	}
	if err := f.Parse(args); err != nil {
		return c, err
	}
	if f.NArg() > 0 {
		return c, fmt.Errorf("%q is not an option; see ./start --help", f.Arg(0))
	}
	return c, c.settle(p)
}

// settle what was typed as text.
func (c *Config) settle(p *parsed) error {
	refused := func(name string, value any, accepted string) error {
		return fmt.Errorf("--%s %v is not accepted; accepted: %s", name, value, accepted)
	}
	if p.port < 0 || p.port > 65535 {
		return refused("port", p.port, "1 to 65535")
	}
	if p.port != 0 {
		c.Listen = net.JoinHostPort("127.0.0.1", strconv.Itoa(p.port))
	}
	if _, port, err := net.SplitHostPort(c.Listen); err != nil || !isPort(port) {
		return refused("listen", strconv.Quote(c.Listen), "host:port, such as 127.0.0.1:8080")
	}
	if u, err := url.Parse(c.Public); c.Public != "" && (err != nil || u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || strings.Trim(u.Path, "/") != "") {
		return refused("public", strconv.Quote(c.Public), "an address such as https://fleet.example.org")
	}
	c.Public = strings.TrimRight(c.Public, "/")
	for text := range strings.SplitSeq(p.proxies, ",") {
		if text = strings.TrimSpace(text); text == "" {
			continue
		}
		network, err := netip.ParsePrefix(text)
		if err != nil {
			return refused("proxies", strconv.Quote(text), "networks such as 10.0.0.0/8 or 2001:db8::/32")
		}
		c.Proxies = append(c.Proxies, network)
	}
	if _, err := time.LoadLocation(c.Zone); err != nil || c.Zone == "Local" {
		return refused("zone", strconv.Quote(c.Zone), "the name of a time zone, such as Europe/Oslo")
	}
	for name, dsn := range map[string]*string{"dsn": &c.DSN, "app-dsn": &c.AppDSN} {
		if *dsn == "" {
			continue
		}
		// The password is part of it, and is not repeated.
		parsed, err := mysql.ParseDSN(*dsn)
		if err != nil || parsed.DBName == "" {
			return refused(name, "(not shown: it holds a password)", "user:password@tcp(host:port)/name")
		}
	}
	switch {
	case c.AppDSN == "":
		c.AppDSN = c.DSN
	case c.DSN == "":
		return refused("app-dsn", "without --dsn", "both, or neither")
	}
	if c.DSN != "" && c.Fresh {
		return refused("fresh", "with --dsn", "--fresh for the private database alone")
	}
	if c.Weather != "" && c.Weather != WeatherStandIn && c.Weather != NoWeather {
		return refused("weather", strconv.Quote(c.Weather), WeatherStandIn+", "+NoWeather)
	}
	if c.Probe != "" && c.Probe != WeatherStandIn && c.Probe != NoWeather {
		return refused("probe", strconv.Quote(c.Probe), WeatherStandIn+", "+NoWeather)
	}
	if c.Telematics != "" && c.Telematics != WeatherStandIn && c.Telematics != NoWeather {
		return refused("telematics", strconv.Quote(c.Telematics), WeatherStandIn+", "+NoWeather)
	}
	if c.Mail != MailOutbox {
		return refused("mail", strconv.Quote(c.Mail), MailOutbox)
	}
	if c.Ahead.Abs() > mostAhead {
		return refusedAhead("--clock-ahead ", c.Ahead)
	}
	if c.Backups < 0 || c.Backups > 1000 {
		return refused("backups", strconv.Itoa(c.Backups), "0 to 1000")
	}
	if err := c.Log.UnmarshalText([]byte(p.log)); err != nil {
		return refused("log", strconv.Quote(p.log), "debug, info, warn, error")
	}
	data, err := filepath.Abs(c.Data)
	c.Data, c.Demo = data, !p.noDemo
	return err
}

func isPort(text string) bool {
	n, err := strconv.Atoi(text)
	return err == nil && n >= 0 && n <= 65535
}

// Hosts that a request may name, without port: loopback's own, and the public one.
func (c Config) Hosts() []string {
	hosts := []string{"127.0.0.1", "localhost", "::1"}
	if u, err := url.Parse(c.Public); err == nil && u.Hostname() != "" {
		hosts = append(hosts, u.Hostname())
	}
	return hosts
}
