package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"diligentledger/core/access"
	"diligentledger/internal/config"
	"diligentledger/internal/demo"
	"diligentledger/internal/drill"
	"diligentledger/internal/store"
)

var errUnsound = errors.New("the drill found what must not be")

// drillUnits of the demo fleet that are written to: few, so that writers meet.
var drillUnits = []string{"CA-09", "CA-14", "CA-22", "CA-31", "TK-21", "HB-02"}

// Units of the demo fleet that one worker has to itself: for jobs, for the register and for imports; and those of a round.
var (
	jobUnits    = []string{"CA-16", "CA-26"}
	factsUnit   = "CA-28"
	importUnits = []string{"CA-35", "CA-37", "CA-43", "CA-45"}
	walkUnits   = []string{"CA-01", "CA-03", "CA-05", "CA-07"}
)

// After each calmEvery kills the drill pauses so that imports can finish: background work starts only after the lease of the killed
// process has expired (15 s).
const (
	calmEvery = 12
	calm      = 18 * time.Second
)

// awayAtMost is how long a kill may keep writes away before the drill gives up.
const awayAtMost = 90 * time.Second

// runDrill lets technicians work, then kills the program, its database or both under load for so
// many rounds, in a folder of its own with the demo fleet.
func runDrill(ctx context.Context, args []string, out io.Writer) error {
	flags := flag.NewFlagSet("diligent drill", flag.ContinueOnError)
	rounds := flags.Int("rounds", 20, "kills")
	writers := flags.Int("writers", 8, "writers during the kills")
	technicians := flags.Int("technicians", 200, "technicians at work at once")
	seconds := flags.Int("seconds", 60, "how long they work")
	seed := flags.Uint64("seed", 0, "of what is killed when; without it the clock's")
	if err := flags.Parse(args); err != nil {
		return err
	}
	for _, f := range []struct {
		name         string
		value, least int
	}{{"rounds", *rounds, 0}, {"writers", *writers, 1}, {"technicians", *technicians, 0}, {"seconds", *seconds, 1}} {
		if f.value < f.least || f.value > 10_000 {
			return fmt.Errorf("--%s %d is not accepted; accepted: %d to 10000", f.name, f.value, f.least)
		}
	}
	if *seed == 0 {
		*seed = uint64(time.Now().UnixNano())
	}
	dir, err := os.MkdirTemp("", "diligent-drill-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := os.Chmod(dir, 0o755); err != nil { // the database's own account comes through
		return err
	}
	fmt.Fprintf(out, "machine: %s %s, %d processors, %d MB of memory; seed %d\n", runtime.GOOS, runtime.GOARCH, runtime.NumCPU(), memoryMB(), *seed)
	p, err := newSubject(ctx, dir)
	if err != nil {
		return err
	}
	defer p.stop()
	sound := true
	if *technicians > 0 { // before the writers, who fill few accounts with more lines than a unit ever has
		if sound, err = work(ctx, p, *technicians, *seconds, *seed, out); err != nil {
			return err
		}
	}
	if *rounds > 0 {
		kept, err := killRounds(ctx, p, *rounds, *writers, *seed, out)
		if err != nil {
			return err
		}
		sound = sound && kept
	}
	if err := p.stop(); err != nil {
		return err
	}
	if err := verify(ctx, []string{"--data", filepath.Join(dir, "data")}, out); err != nil {
		return err
	}
	if !sound {
		return errUnsound
	}
	return nil
}

// subject is the program under the drill, a process of its own.
type subject struct {
	data, base string
	cmd        *exec.Cmd
	exited     chan struct{}
	client     *drill.Client
}

func newSubject(ctx context.Context, dir string) (*subject, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	p := &subject{data: filepath.Join(dir, "data"), base: "http://" + l.Addr().String()}
	p.client = drill.NewClient(p.base, "")
	if err := errors.Join(l.Close(), p.start()); err != nil {
		return nil, err
	}
	return p, p.ready(ctx)
}

func (p *subject) start() error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	_, port, err := net.SplitHostPort(strings.TrimPrefix(p.base, "http://"))
	if err != nil {
		return err
	}
	cmd := exec.Command(self, "serve", "--data", p.data, "--port", port, "--weather", config.NoWeather)
	if err := cmd.Start(); err != nil {
		return err
	}
	p.cmd, p.exited = cmd, make(chan struct{})
	go func(exited chan struct{}) {
		_ = cmd.Wait() // it is killed, or stopped: ready says whether it runs
		close(exited)
	}(p.exited)
	return nil
}

func (p *subject) ready(ctx context.Context) error {
	return drill.WaitUntil(ctx, awayAtMost, func() error { return drill.Ready(ctx, p.client) })
}

// stop by Ctrl-C; once stopped it does nothing.
func (p *subject) stop() error {
	select {
	case <-p.exited:
		return nil
	default:
	}
	err := p.cmd.Process.Signal(os.Interrupt)
	<-p.exited
	return err
}

func (p *subject) killProgram() error {
	err := p.cmd.Process.Kill()
	<-p.exited
	return err
}

// killDatabase by the process id that it keeps; gone already is as good.
func (p *subject) killDatabase() error {
	b, err := os.ReadFile(filepath.Join(p.data, "mariadb", "server.pid"))
	if errors.Is(err, os.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	pid, err := strconv.Atoi(strings.TrimSpace(string(b)))
	if err != nil {
		return nil // killed while it wrote the number
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil && !errors.Is(err, syscall.ESRCH) {
		return err
	}
	return nil
}

// personOf the demo fleet of a role, who signs in.
func personOf(role access.Role) (email, password string) {
	for _, d := range demo.People {
		if d.Role == role {
			return d.Email, d.Password
		}
	}
	return "", ""
}

// workersOf the drill beside the writers of notes: jobs, register, imports, plan, rounds with photos, archives.
func workersOf(ctx context.Context, p *subject, seed uint64, lines func() []drill.Line) (all []drill.Worker, archives *drill.Archives, err error) {
	boss := drill.NewClient(p.base, "127.0.0.30")
	email, password := personOf(access.Coordinator)
	if err := boss.SignIn(ctx, email, password); err != nil {
		return nil, nil, err
	}
	next := func() *drill.Client {
		c := drill.NewClient(p.base, fmt.Sprintf("127.0.0.%d", 31+len(all)))
		c.Share(boss)
		return c
	}
	// Lines for the plan to place: a job is of the work list, and one that the books show as done leaves it.
	if status, text, err := boss.Call(ctx, http.MethodPost, "/api/v1/work-list", map[string]any{"units": drillUnits}); err != nil || status != http.StatusOK {
		return nil, nil, fmt.Errorf("work list: %d %.200s %w", status, text, err)
	}
	for _, unit := range jobUnits {
		all = append(all, drill.NewJobs(next(), unit, seed))
	}
	all = append(all, drill.NewFacts(next(), factsUnit, seed))
	all = append(all, drill.NewImports(next(), importUnits, seed))
	all = append(all, drill.NewPlan(next(), seed))
	all = append(all, drill.NewWalks(next(), walkUnits, seed))
	archives = drill.NewArchives(next(), lines)
	return append(all, archives), archives, nil
}

// restored archives hold every line that was acknowledged before they were asked for; how many archives those were.
func restored(ctx context.Context, dir string, archives []drill.Archive, out io.Writer) (sound bool, err error) {
	sound = len(archives) > 0
	for n, a := range archives {
		folder := filepath.Join(dir, fmt.Sprint("restored-", n))
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return false, err
		}
		if err := restoreInto(ctx, folder, a.Content, io.Discard); err != nil {
			fmt.Fprintln(out, "  archive", n+1, err)
			sound = false
			continue
		}
		lost := 0
		if err := withRegister(ctx, folder, func(s *store.Store) error {
			for _, l := range a.Lines {
				var there bool
				if err := s.DB().QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM entry WHERE id = ?)`, l.ID).Scan(&there); err != nil {
					return err
				}
				if !there {
					lost++
				}
			}
			return nil
		}); err != nil {
			return false, err
		}
		sound = sound && lost == 0
		fmt.Fprintf(out, "  archive restored: every chain holds, %d lines acknowledged before it, %d lost\n", len(a.Lines), lost)
	}
	return sound, nil
}

// sharedClient from a loopback address of its own: the rate limit is one of each address.
func sharedClient(base string, session *drill.Client, n int) *drill.Client {
	c := drill.NewClient(base, fmt.Sprintf("127.0.0.%d", 2+n%20))
	c.Share(session)
	return c
}

func killRounds(ctx context.Context, p *subject, rounds, writers int, seed uint64, out io.Writer) (sound bool, err error) {
	email, password := personOf(access.Technician)
	if err := p.client.SignIn(ctx, email, password); err != nil {
		return false, err
	}
	r := rand.New(rand.NewPCG(seed, 0))
	writing, stop := context.WithCancel(ctx)
	defer stop()
	var running sync.WaitGroup
	all := make([]*drill.Writer, writers)
	for i := range all {
		all[i] = &drill.Writer{Client: sharedClient(p.base, p.client, i), Units: drillUnits, Rand: rand.New(rand.NewPCG(seed, uint64(i+1)))}
		running.Go(func() { all[i].Run(writing) })
	}
	workers, archives, err := workersOf(ctx, p, seed, func() (lines []drill.Line) {
		for _, w := range all {
			lines = append(lines, w.Lines()...)
		}
		return lines
	})
	if err != nil {
		return false, err
	}
	for _, w := range workers {
		running.Go(func() { w.Run(writing) })
	}
	names := []string{"program", "database", "both"}
	away := map[string][]time.Duration{}
	var order []int
	for n := range rounds {
		if n%len(names) == 0 {
			order = r.Perm(len(names)) // each as often as the others
		}
		between := time.Duration(200+r.IntN(1000)) * time.Millisecond
		if n%calmEvery == calmEvery-1 {
			between += calm
		}
		wait(ctx, between)
		what := names[order[n%len(names)]]
		killed := time.Now()
		if what != "database" {
			if err := p.killProgram(); err != nil {
				return false, err
			}
		}
		if what != "program" {
			if err := p.killDatabase(); err != nil {
				return false, err
			}
		}
		dead := time.Now()
		if what != "database" {
			if err := p.start(); err != nil {
				return false, err
			}
		}
		if err := drill.WaitUntil(ctx, awayAtMost, func() error {
			for _, w := range all {
				if w.Last().After(dead) {
					return nil
				}
			}
			return errors.New("nothing was acknowledged since " + what + " was killed")
		}); err != nil {
			return false, err
		}
		away[what] = append(away[what], time.Since(killed))
	}
	wait(ctx, time.Second)
	stop()
	running.Wait()
	var lines []drill.Line
	var wrong []string
	for _, w := range all {
		lines, wrong = append(lines, w.Lines()...), append(wrong, w.Wrong()...)
	}
	there, err := drill.Notes(ctx, p.client, drillUnits)
	if err != nil {
		return false, err
	}
	c := drill.Compare(lines, there)
	fmt.Fprintf(out, "kills: %d rounds, %d writers, %d lines acknowledged: %d lost, %d doubled, %d changed, %d refused\n", rounds, writers, c.Acknowledged, c.Lost, c.Doubled, c.Changed, len(wrong))
	for _, name := range names {
		if d := away[name]; len(d) > 0 {
			fmt.Fprintf(out, "  %-8s killed %3d times: writes away p50 %s, at most %s\n", name, len(d), rounded(drill.Percentile(d, 50)), rounded(drill.Percentile(d, 100)))
		}
	}
	for _, w := range wrong[:min(len(wrong), 3)] {
		fmt.Fprintln(out, "  refused", w)
	}
	sound = c.Sound() && c.Acknowledged > 0 && len(wrong) == 0
	for _, w := range workers {
		t := w.Tally(ctx)
		fmt.Fprintf(out, "  %-18s %5d acknowledged: %d lost, %d doubled, %d changed, %d stuck, %d wrong\n", t.What, t.Acknowledged, t.Lost, t.Doubled, t.Changed, t.Stuck, len(t.Wrong))
		for _, text := range t.Wrong[:min(len(t.Wrong), 3)] {
			fmt.Fprintln(out, "    ", text)
		}
		// A short drill has no time for everything.
		sound = sound && t.Sound() && (t.Acknowledged > 0 || rounds < calmEvery)
	}
	kept, err := restored(ctx, filepath.Dir(p.data), archives.Kept(), out)
	return sound && kept, err
}

func work(ctx context.Context, p *subject, technicians, seconds int, seed uint64, out io.Writer) (quiet bool, err error) {
	email, password := personOf(access.Technician)
	if err := p.client.SignIn(ctx, email, password); err != nil {
		return false, err
	}
	units, err := drill.Units(ctx, p.client)
	if err != nil {
		return false, err
	}
	clients := make([]*drill.Client, technicians)
	for i := range clients {
		clients[i] = sharedClient(p.base, p.client, i)
	}
	working, stop := context.WithTimeout(ctx, time.Duration(seconds)*time.Second)
	defer stop()
	load := drill.Technicians(working, clients, units, seed)
	if err := ctx.Err(); err != nil {
		return false, err
	}
	fmt.Fprintf(out, "technicians: %d for %d s, %d accounts read, %d lines written, %d errors\n", technicians, seconds, len(load.Reads), len(load.Writes), len(load.Errors))
	for _, k := range []struct {
		name string
		took []time.Duration
	}{{"read", load.Reads}, {"write", load.Writes}} {
		fmt.Fprintf(out, "  %-5s p50 %s, p95 %s, p99 %s\n", k.name, rounded(drill.Percentile(k.took, 50)), rounded(drill.Percentile(k.took, 95)), rounded(drill.Percentile(k.took, 99)))
	}
	for _, e := range load.Errors[:min(len(load.Errors), 3)] {
		fmt.Fprintln(out, "  error", e)
	}
	return len(load.Errors) == 0 && len(load.Writes) > 0, nil
}

func rounded(d time.Duration) time.Duration { return d.Round(time.Millisecond) }

// memoryMB of the machine; 0 where it cannot be read.
func memoryMB() uint64 {
	var s syscall.Sysinfo_t
	if syscall.Sysinfo(&s) != nil {
		return 0
	}
	return s.Totalram * uint64(s.Unit) >> 20
}
