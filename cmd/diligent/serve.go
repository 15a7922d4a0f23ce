package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"
	_ "time/tzdata" // zones are known on a machine that has none installed

	"diligentledger/core/access"
	"diligentledger/internal/config"
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

// firstPort to try, and how many after it.
const (
	firstPort  = 8080
	portsTried = 100
)

// backend is the database that the program runs on: a private server, or an existing one.
type backend struct {
	instance         *mariadb.Instance // nil for an existing database
	ownerDSN, appDSN string
}

// start the private server, unless a database is named.
func startBackend(ctx context.Context, c config.Config, steps *progress) (backend, error) {
	if c.DSN != "" {
		return backend{ownerDSN: mariadb.WithDefaults(c.DSN), appDSN: mariadb.WithDefaults(c.AppDSN)}, nil
	}
	steps.begin("starting the database")
	instance, err := mariadb.Start(ctx, mariadb.Config{Dir: c.Data, Progress: steps.begin})
	if err != nil {
		return backend{}, err
	}
	return privateBackend(instance), nil
}

func privateBackend(i *mariadb.Instance) backend {
	return backend{instance: i, ownerDSN: i.OwnerDSN(), appDSN: i.AppDSN()}
}

func (b backend) stop() error {
	if b.instance == nil {
		return nil
	}
	return b.instance.Stop()
}

// The garbage collector runs when the heap has grown to five times what is in use, and more often
// towards half a gigabyte: it takes a fourth of the time at the day's change otherwise (measured).
// GOGC and GOMEMLIMIT of the environment come first.
const gcPercent, gcMemory = 400, 512 << 20

func serve(ctx context.Context, args []string) error {
	if os.Getenv("GOGC") == "" && os.Getenv("GOMEMLIMIT") == "" {
		debug.SetGCPercent(gcPercent)
		debug.SetMemoryLimit(gcMemory)
	}
	c, err := config.Parse(args, os.Getenv, os.Stderr)
	if err != nil {
		return err
	}
	now = config.Clock(c.Ahead)
	lock, err := lockData(c.Data)
	if err != nil {
		return err
	}
	defer lock.Close()
	if c.DSN == "" {
		if err := finishRestore(c.Data); err != nil {
			return err
		}
	}
	if c.Fresh {
		if err := discard(c.Data, os.Stdin, os.Stdout); err != nil {
			return err
		}
	}
	listener, err := listen(c.Listen)
	if err != nil {
		return err
	}
	defer listener.Close()
	address := "http://" + listener.Addr().String()
	if err := lock.say(address); err != nil {
		return err
	}
	steps := &progress{out: os.Stdout}
	database, err := startBackend(ctx, c, steps)
	if err != nil {
		steps.end()
		return err
	}
	serving, cancel := context.WithCancel(ctx)
	defer cancel()
	outbox := standin.Outbox{Dir: filepath.Join(c.Data, "outbox"), Now: now}
	opened, err := prepare(ctx, database, c, people.Config{Outbox: outbox, Address: cmp.Or(c.Public, address), Now: now}, steps)
	if err != nil {
		steps.end()
		return errors.Join(err, database.stop())
	}
	say := func(text string) { fmt.Fprintln(os.Stderr, "diligent:", text) }
	var running sync.WaitGroup
	// One of several processes on the same database does the work in the background.
	running.Go(func() {
		opened.store.Lead(serving, "background", func(ctx context.Context) { background(ctx, opened, c, say) },
			func(err error) { say("background work: " + err.Error()) })
	})
	if database.instance != nil {
		running.Go(func() { keepAlive(serving, database.instance, wait, say) })
	}
	steps.end()
	if opened.first != "" {
		fmt.Printf("No account exists yet. The first coordinator opens this, once: %s\n", opened.first)
	}
	fmt.Printf("Diligent Ledger is open at %s   (Ctrl-C closes it)\n", address)
	err = web.Serve(serving, listener, opened.handler)
	cancel()
	running.Wait()
	fmt.Println("closing the books")
	return errors.Join(err, opened.close(), database.stop())
}

// background work until ctx ends: heads of the chains, status of the fleet, weather.
func background(ctx context.Context, o open, c config.Config, say func(string)) {
	var running sync.WaitGroup
	running.Go(func() { <-keepHeads(ctx, o.patient, c.Data, say) })
	running.Go(func() {
		o.fleet.KeepStatus(ctx, func(err error) { say("the fleet was not evaluated anew: " + err.Error()) })
	})
	running.Go(func() { keepBackups(ctx, o.patient, c.Data, c.Backups, say) })
	if o.telematics {
		running.Go(func() {
			keepTelematics(ctx, o.fleet, func(err error) { say("the simulated gateway: " + err.Error()) })
		})
	}
	running.Go(func() {
		o.fleet.KeepImports(ctx, func(err error) { say("an import was interrupted and goes on: " + err.Error()) })
	})
	if o.weather != nil {
		running.Go(func() { o.weather.Run(ctx) })
	}
	running.Wait()
}

// open is what prepare made.
type open struct {
	handler http.Handler
	store   *store.Store // of requests
	// patient is the store of the start and of the work in the background, whose statements take longer than a request waits;
	// fleet has the use cases over it.
	patient *store.Store
	fleet   *fleet.Fleet
	weather *weather.Keeper // nil without a weather service
	// telematics: the simulated gateway sends readings.
	telematics bool
	first      string // link for the first coordinator, empty when there is one
}

func (o open) close() error { return errors.Join(o.store.Close(), o.patient.Close()) }

// prepare brings the schema up to date, loads the demo fleet into empty books
// when asked, and makes the application.
func prepare(ctx context.Context, b backend, s config.Config, who people.Config, steps *progress) (o open, err error) {
	steps.begin("bringing the database up to date")
	if _, err := store.Migrate(ctx, b.ownerDSN); err != nil {
		return o, err
	}
	if b.instance != nil {
		if err := b.instance.Grant(ctx, store.Rights); err != nil {
			return o, err
		}
	}
	if s.Ahead != 0 {
		if err := allowAhead(ctx, b.ownerDSN, s.Demo); err != nil {
			return o, err
		}
	}
	if s.Demo {
		if err := loadDemo(ctx, b.ownerDSN, steps); err != nil {
			return o, err
		}
	}
	if o.store, err = store.Open(b.appDSN, now); err != nil {
		return o, err
	}
	if o.patient, err = store.OpenPatient(b.appDSN, now); err != nil {
		return o, errors.Join(err, o.store.Close())
	}
	defer func() {
		if err != nil {
			err = errors.Join(err, o.close())
		}
	}()
	if err := setZone(ctx, o.patient, s.Zone); err != nil {
		return o, err
	}
	if err := o.patient.RefreshCurves(ctx); err != nil {
		return o, err
	}
	name, err := o.patient.LoadedFleetName(ctx)
	if err != nil {
		return o, err
	}
	log := slog.New(slog.NewJSONHandler(os.Stderr, &slog.HandlerOptions{Level: s.Log}))
	if s.Weather == config.WeatherStandIn || s.Weather == "" && name == demo.Name {
		steps.begin("asking for the weather")
		o.weather = &weather.Keeper{Store: o.patient, Service: demo.Weather(), Now: now, Log: log}
		if err := o.weather.Refresh(ctx); err != nil {
			return o, err
		}
	}
	o.telematics = s.Telematics == config.WeatherStandIn || s.Telematics == "" && name == demo.Name
	who.Store = o.store
	service, err := people.New(who)
	if err != nil {
		return o, err
	}
	if err := service.OpenDevices(ctx); err != nil {
		return o, err
	}
	cfg := web.Config{Fleet: fleet.New(o.store, now).Reading(o.patient), People: service, Screens: ui.Screens(),
		Log: log, Hosts: s.Hosts(), Proxies: s.Proxies, Room: func() error { return roomOn(s.Data) },
		Address: who.Address, Probe: s.Probe == config.WeatherStandIn || s.Probe == "" && name == demo.Name}
	if s.Demo && name == demo.Name {
		steps.begin("opening the demo accounts")
		cfg.Demo = demo.People
		if err := service.AddDemo(ctx, demo.People); err != nil {
			return o, err
		}
	}
	if o.first, err = service.FirstLink(ctx); err != nil {
		return o, err
	}
	o.fleet = fleet.New(o.patient, now)
	if _, err := o.fleet.FinishJobs(ctx); err != nil {
		return o, err
	}
	steps.begin("evaluating the fleet")
	if _, err := o.fleet.RefreshByRules(ctx); err != nil {
		return o, err
	}
	o.handler, err = web.New(cfg)
	return o, err
}

// leastRoom in bytes on the disk of the database: below it a write may fail at any moment.
const leastRoom = 32 << 20

// bytesFree on the disk of a folder.
func bytesFree(dir string) (uint64, error) {
	var s syscall.Statfs_t
	if err := syscall.Statfs(dir, &s); err != nil {
		return 0, fmt.Errorf("the disk of %s cannot be read: %w", dir, err)
	}
	return s.Bavail * uint64(s.Bsize), nil
}

// roomOn the disk of a folder; an error that says how much is left when it is too little.
func roomOn(dir string) error {
	left, err := bytesFree(dir)
	if err != nil {
		return err
	}
	if left < leastRoom {
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
	return s.SetZone(ctx, store.Actor{Name: "diligent", Role: access.Coordinator}, zone)
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

// aheadFact marks books that began under a clock that was moved: they are for tests.
const aheadFact = "clock_ahead"

// allowAhead refuses a clock that was moved on books of a fleet of one's own; empty books become ones for tests.
func allowAhead(ctx context.Context, ownerDSN string, demoWanted bool) error {
	owner, err := store.OpenPatient(ownerDSN, now)
	if err != nil {
		return err
	}
	defer owner.Close()
	loaded, err := owner.LoadedFleetName(ctx)
	if err != nil || loaded == demo.Name {
		return err
	}
	mark, err := owner.Fact(ctx, aheadFact)
	if err != nil || mark != "" {
		return err
	}
	empty, err := owner.Untouched(ctx)
	if err != nil {
		return err
	}
	if !empty {
		return errors.New("--clock-ahead is for tests: these books hold a fleet of their own, whose time is the machine's")
	}
	if demoWanted {
		return nil
	}
	return owner.SetFact(ctx, aheadFact, "yes")
}

// loadDemo fills books that hold no fleet yet.
func loadDemo(ctx context.Context, ownerDSN string, steps *progress) error {
	owner, err := store.OpenPatient(ownerDSN, now)
	if err != nil {
		return err
	}
	defer owner.Close()
	loaded, err := owner.LoadedFleetName(ctx)
	if err != nil || loaded != "" {
		return err
	}
	// Books of a fleet of its own, even if it has no unit yet.
	own, err := owner.Installation(ctx)
	if err != nil || own.Name != "" || own.Units+own.Sites+own.Plans > 0 {
		return err
	}
	units, err := owner.Find(ctx, "", 1)
	if err != nil || len(units) > 0 {
		return err
	}
	steps.begin("loading the demo fleet, " + demo.Name)
	if err := owner.Load(ctx, demo.Fleet(now())); err != nil {
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

// listen on host:port; port 0 takes the first free one from [firstPort] on.
func listen(address string) (net.Listener, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, err
	}
	if port != "0" {
		l, err := net.Listen("tcp", address)
		if err != nil {
			return nil, fmt.Errorf("port %s is taken or not allowed (%v); choose another with --port, or leave it out", port, err)
		}
		return l, nil
	}
	var last error
	for p := firstPort; p < firstPort+portsTried; p++ {
		l, err := net.Listen("tcp", net.JoinHostPort(host, strconv.Itoa(p)))
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

// say writes the address to a file, from which the next start prints it.
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

// progress prints each step and, when the next one begins, how long it took.
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

// telematicsEvery is how often the simulated gateway looks whether a day has passed.
const telematicsEvery = 10 * time.Minute

// keepTelematics sends the readings of the simulated gateway once a day, from the day after the fleet was loaded on: the
// demo fleet is of the day on which it was loaded.
func keepTelematics(ctx context.Context, f *fleet.Fleet, failed func(error)) {
	tick := time.NewTicker(telematicsEvery)
	defer tick.Stop()
	for {
		if err := sendTelematics(ctx, f, now()); err != nil && ctx.Err() == nil {
			failed(err)
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func sendTelematics(ctx context.Context, f *fleet.Fleet, now time.Time) error {
	loaded, err := f.LoadedAt(ctx)
	if err != nil || loaded.IsZero() || now.Sub(loaded) < 24*time.Hour {
		return err
	}
	meters, err := f.Meters(ctx)
	if err != nil {
		return err
	}
	var vehicles []standin.Vehicle
	for _, m := range meters {
		if now.Sub(m.At) > 24*time.Hour {
			vehicles = append(vehicles, standin.Vehicle{Code: m.Code, In: m.In, Last: m.Last, At: m.At})
		}
	}
	var readings []fleet.GatewayReading
	for _, s := range (standin.Telematics{}).Readings(vehicles, now) {
		readings = append(readings, fleet.GatewayReading{ID: s.ID, Unit: s.Unit, At: s.At, Value: s.Value, In: s.In})
	}
	_, err = f.TakeReadings(ctx, fleet.Actor{Name: "telematics (simulated)"}, readings)
	return err
}
