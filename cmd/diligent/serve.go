package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"
	_ "time/tzdata" // zones are known on a machine that has none installed

	"diligentledger/internal/demo"
	"diligentledger/internal/fleet"
	"diligentledger/internal/mariadb"
	"diligentledger/internal/people"
	"diligentledger/internal/standin"
	"diligentledger/internal/store"
	"diligentledger/internal/weather"
	"diligentledger/internal/web"
	"diligentledger/ui"
)

// settings of serve, from the command line.
type settings struct {
	port  int    // 0: firstPort or the next free one
	data  string // absolute folder of the database
	demo  bool
	fresh bool
	// weather service to ask: "standin" or "none"; empty takes the stand-in for the
	// demo fleet, whose sites it knows, and none for any other.
	weather string
	// zone of the fleet, to be set; empty keeps what is set, and takes the machine's
	// for books that have none.
	zone string
}

// What --weather may name.
const weatherStandIn, noWeather = "standin", "none"

// firstPort to try, and how many after it.
const (
	firstPort  = 8080
	portsTried = 100
)

func parseSettings(args []string, out io.Writer) (settings, error) {
	s := settings{}
	noDemo := false
	flags := flag.NewFlagSet("./start", flag.ContinueOnError)
	flags.SetOutput(out)
	flags.IntVar(&s.port, "port", 0, "port on 127.0.0.1; without it 8080 or the next free one")
	flags.StringVar(&s.data, "data", ".run", "folder for the database")
	flags.BoolVar(&noDemo, "no-demo", false, "begin with empty books instead of the demo fleet")
	flags.BoolVar(&s.fresh, "fresh", false, "throw the database away and begin anew (asks first)")
	flags.StringVar(&s.weather, "weather", "", "weather service: standin (made-up nights; with the demo fleet the default) or none")
	flags.StringVar(&s.zone, "zone", "", "time zone of the fleet, such as Europe/Oslo; without it what is set, at first the machine's")
	if err := flags.Parse(args); err != nil {
		return s, err
	}
	if _, err := time.LoadLocation(s.zone); err != nil || s.zone == "Local" {
		return s, fmt.Errorf("--zone %q is not accepted; accepted: the name of a time zone, such as Europe/Oslo", s.zone)
	}
	if flags.NArg() > 0 {
		return s, fmt.Errorf("%q is not an option; see ./start --help", flags.Arg(0))
	}
	if s.port < 0 || s.port > 65535 {
		return s, fmt.Errorf("--port %d is not accepted; accepted: 1 to 65535", s.port)
	}
	if s.weather != "" && s.weather != weatherStandIn && s.weather != noWeather {
		return s, fmt.Errorf("--weather %q is not accepted; accepted: %s, %s", s.weather, weatherStandIn, noWeather)
	}
	data, err := filepath.Abs(s.data)
	s.data, s.demo = data, !noDemo
	return s, err
}

func serve(ctx context.Context, args []string) error {
	s, err := parseSettings(args, os.Stderr)
	if err != nil {
		return err
	}
	lock, err := lockData(s.data)
	if err != nil {
		return err
	}
	defer lock.Close()
	if s.fresh {
		if err := discard(s.data, os.Stdin, os.Stdout); err != nil {
			return err
		}
	}
	listener, err := listen(s.port)
	if err != nil {
		return err
	}
	defer listener.Close()
	address := "http://" + listener.Addr().String()
	if err := lock.say(address); err != nil {
		return err
	}
	steps := &progress{out: os.Stdout}
	steps.begin("starting the database")
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: s.data, Progress: steps.begin})
	if err != nil {
		steps.end()
		return err
	}
	serving, cancel := context.WithCancel(ctx)
	defer cancel()
	outbox := standin.Outbox{Dir: filepath.Join(s.data, "outbox"), Now: time.Now}
	opened, err := prepare(ctx, instance, s, people.Config{Outbox: outbox, Address: address, Now: time.Now}, steps)
	if err != nil {
		steps.end()
		return errors.Join(err, instance.Stop())
	}
	say := func(text string) { fmt.Fprintln(os.Stderr, "diligent:", text) }
	headsKept := keepHeads(serving, opened.store, s.data, say)
	told := make(chan struct{})
	go func() {
		defer close(told)
		if opened.weather != nil {
			opened.weather.Run(serving)
		}
	}()
	evaluated := make(chan struct{})
	go func() {
		defer close(evaluated)
		opened.fleet.KeepStatus(serving, func(err error) { say("the fleet was not evaluated anew: " + err.Error()) })
	}()
	watched := make(chan struct{})
	go func() {
		defer close(watched)
		keepAlive(serving, instance, wait, say)
	}()
	steps.end()
	if opened.first != "" {
		fmt.Printf("Nobody can sign in yet. The first coordinator opens this, once: %s\n", opened.first)
	}
	fmt.Printf("Diligent Ledger is open at %s   (Ctrl-C closes it)\n", address)
	err = web.Serve(serving, listener, opened.handler)
	cancel()
	<-watched
	<-told
	<-evaluated
	<-headsKept
	fmt.Println("closing the books")
	return errors.Join(err, opened.store.Close(), instance.Stop())
}

// open is what prepare made.
type open struct {
	handler http.Handler
	store   *store.Store
	fleet   *fleet.Fleet
	weather *weather.Keeper // nil without a weather service
	first   string          // link for the first coordinator, empty when there is one
}

// prepare brings the schema up to date, loads the demo fleet into empty books
// when asked, and makes the application.
func prepare(ctx context.Context, instance *mariadb.Instance, s settings, who people.Config, steps *progress) (o open, err error) {
	steps.begin("bringing the database up to date")
	if _, err := store.Migrate(ctx, instance.OwnerDSN()); err != nil {
		return o, err
	}
	if err := instance.Grant(ctx, store.Rights); err != nil {
		return o, err
	}
	if s.demo {
		if err := loadDemo(ctx, instance.OwnerDSN(), steps); err != nil {
			return o, err
		}
	}
	if o.store, err = store.Open(instance.AppDSN(), time.Now); err != nil {
		return o, err
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, o.store.Close())
		}
	}()
	if err := setZone(ctx, o.store, s.zone); err != nil {
		return o, err
	}
	if err := o.store.RefreshCurves(ctx); err != nil {
		return o, err
	}
	name, err := o.store.LoadedFleetName(ctx)
	if err != nil {
		return o, err
	}
	log := slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelWarn}))
	if s.weather == weatherStandIn || s.weather == "" && name == demo.Name {
		steps.begin("asking for the weather")
		o.weather = &weather.Keeper{Store: o.store, Service: demo.Weather(), Now: time.Now, Log: log}
		if err := o.weather.Refresh(ctx); err != nil {
			return o, err
		}
	}
	who.Store = o.store
	service, err := people.New(who)
	if err != nil {
		return o, err
	}
	if err := service.OpenDevices(ctx); err != nil {
		return o, err
	}
	cfg := web.Config{Fleet: fleet.New(o.store, time.Now), People: service, Screens: ui.Screens(),
		Log: log, Room: func() error { return roomOn(s.data) }}
	if s.demo && name == demo.Name {
		steps.begin("opening the demo accounts")
		cfg.Demo = demo.People
		if err := service.AddDemo(ctx, demo.People); err != nil {
			return o, err
		}
	}
	if o.first, err = service.FirstLink(ctx); err != nil {
		return o, err
	}
	o.fleet = cfg.Fleet
	steps.begin("evaluating the fleet")
	if _, err := o.fleet.RefreshStatus(ctx); err != nil {
		return o, err
	}
	o.handler, err = web.New(cfg)
	return o, err
}

// leastRoom in bytes on the disk of the database: below it a write may fail at any moment.
const leastRoom = 32 << 20

// roomOn the disk of a folder; an error that says how much is left when it is too little.
func roomOn(dir string) error {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return fmt.Errorf("the disk of %s cannot be read: %w", dir, err)
	}
	if left := s.Bavail * uint64(s.Bsize); left < leastRoom {
		return fmt.Errorf("the disk of the database has %d MB left; at least %d MB are needed to write", left>>20, leastRoom>>20)
	}
	return nil
}

// setZone of the fleet: the one named, or for books without one the machine's.
func setZone(ctx context.Context, s *store.Store, name string) error {
	set, err := s.ZoneSet(ctx)
	if err != nil || set && name == "" {
		return err
	}
	if name == "" {
		name = machineZone()
	}
	zone, err := time.LoadLocation(name)
	if err != nil {
		return err
	}
	return s.SetZone(ctx, store.Actor{Name: "diligent"}, zone)
}

// machineZone is the name of the machine's time zone; UTC when it has none that is
// known by a name.
func machineZone() string {
	if name := time.Local.String(); name != "Local" && name != "" {
		return name
	}
	if target, err := os.Readlink("/etc/localtime"); err == nil {
		if _, name, ok := strings.Cut(target, "zoneinfo/"); ok {
			if _, err := time.LoadLocation(name); err == nil {
				return name
			}
		}
	}
	return "UTC"
}

// loadDemo fills books that hold no fleet yet.
func loadDemo(ctx context.Context, ownerDSN string, steps *progress) error {
	owner, err := store.OpenPatient(ownerDSN, time.Now)
	if err != nil {
		return err
	}
	defer owner.Close()
	loaded, err := owner.LoadedFleetName(ctx)
	if err != nil || loaded != "" {
		return err
	}
	units, err := owner.Find(ctx, "", 1)
	if err != nil || len(units) > 0 {
		return err
	}
	steps.begin("loading the demo fleet, " + demo.Name)
	if err := owner.Load(ctx, demo.Fleet(time.Now())); err != nil {
		return err
	}
	return owner.Audit(ctx, store.Audited{Who: "diligent", What: "register_loaded", Detail: demo.Name})
}

// restartable is the database server as keepAlive sees it.
type restartable interface {
	Exited() <-chan struct{}
	Restart(ctx context.Context) error
	Port() int
}

// Pauses between the tries to start the database again, the last one repeated; a server that
// ran for steadyAfter begins with the first one again.
var restartPauses = []time.Duration{0, 200 * time.Millisecond, time.Second, 2 * time.Second, 5 * time.Second, 15 * time.Second, 30 * time.Second}

const steadyAfter = time.Minute

// keepAlive starts the server again whenever it ends by itself, and goes on trying with
// growing pauses until ctx ends: requests are answered 503 meanwhile, and the books open
// again without a restart of the program once the cause is removed. say is called for each try.
func keepAlive(ctx context.Context, server restartable, pause func(context.Context, time.Duration), say func(string)) {
	tries := 0
	for {
		started := time.Now()
		select {
		case <-ctx.Done():
			return
		case <-server.Exited():
		}
		if time.Since(started) > steadyAfter {
			tries = 0
		}
		for {
			pause(ctx, restartPauses[min(tries, len(restartPauses)-1)])
			if ctx.Err() != nil {
				return
			}
			tries++
			say(fmt.Sprintf("the database server ended; starting it again (try %d)", tries))
			err := server.Restart(ctx)
			if err == nil {
				say(fmt.Sprintf("the database server answers again, on port %d", server.Port()))
				break
			}
			say(fmt.Sprintf("the database server did not start: %v; trying again in %s", err, restartPauses[min(tries, len(restartPauses)-1)]))
		}
	}
}

// wait for d or the end of ctx.
func wait(ctx context.Context, d time.Duration) {
	select {
	case <-ctx.Done():
	case <-time.After(d):
	}
}

func listen(port int) (net.Listener, error) {
	if port != 0 {
		l, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(port)))
		if err != nil {
			return nil, fmt.Errorf("port %d is taken or not allowed (%v); choose another with --port, or leave it out", port, err)
		}
		return l, nil
	}
	var last error
	for p := firstPort; p < firstPort+portsTried; p++ {
		l, err := net.Listen("tcp", net.JoinHostPort("127.0.0.1", strconv.Itoa(p)))
		if err == nil {
			return l, nil
		}
		last = err
	}
	return nil, fmt.Errorf("no port from %d to %d is free (%v); name one with --port", firstPort, firstPort+portsTried-1, last)
}

// dataLock keeps a second start away from the same data; the kernel lets go of
// it when the process ends, however it ends.
type dataLock struct{ *os.File }

func lockData(dir string) (dataLock, error) {
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return dataLock{}, fmt.Errorf("data folder %s cannot be made (%v); choose another with --data", dir, err)
	}
	f, err := os.OpenFile(filepath.Join(dir, "lock"), os.O_CREATE|os.O_RDWR, 0o644)
	if err != nil {
		return dataLock{}, fmt.Errorf("data folder %s cannot be written (%v); choose another with --data", dir, err)
	}
	if err := syscall.Flock(int(f.Fd()), syscall.LOCK_EX|syscall.LOCK_NB); err != nil {
		who, _ := io.ReadAll(f) // empty while the other one is still starting
		f.Close()
		if len(who) == 0 {
			who = []byte("another start")
		}
		return dataLock{}, fmt.Errorf("the database in %s is in use by %s; use that one, stop it, or choose another folder with --data", dir, strings.TrimSpace(string(who)))
	}
	return dataLock{f}, f.Truncate(0)
}

// say leaves the address for the next start to tell.
func (l dataLock) say(address string) error {
	_, err := l.WriteAt([]byte(fmt.Sprintf("process %d at %s\n", os.Getpid(), address)), 0)
	return err
}

// discard removes the database after the person said so.
func discard(dir string, in io.Reader, out io.Writer) error {
	if _, err := os.Stat(filepath.Join(dir, "mariadb")); errors.Is(err, os.ErrNotExist) {
		return nil
	}
	fmt.Fprintf(out, "All entries in %s will be gone for good. Type yes to go on: ", dir)
	answer, err := bufio.NewReader(in).ReadString('\n')
	if strings.TrimSpace(answer) != "yes" {
		if errors.Is(err, io.EOF) {
			fmt.Fprintln(out)
		}
		return errors.New("nothing was removed; start without --fresh, or answer yes")
	}
	// The heads are those of the database that goes.
	return errors.Join(mariadb.Discard(dir), os.RemoveAll(headsFolder(dir)))
}

// progress tells each step and, when the next one begins, how long it took.
type progress struct {
	out   io.Writer
	since time.Time
}

func (p *progress) begin(step string) {
	p.end()
	fmt.Fprintf(p.out, "· %s …", step)
	p.since = time.Now()
}

func (p *progress) end() {
	if !p.since.IsZero() {
		fmt.Fprintf(p.out, " %.1f s\n", time.Since(p.since).Seconds())
		p.since = time.Time{}
	}
}
