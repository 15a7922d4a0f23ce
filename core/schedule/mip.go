package schedule

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
)

// WriteMIP writes the problem as a mixed-integer programme in CPLEX's LP text format, for a solver that is not ours. Its optimum is
// the least [Cost] of any plan:
//
//	y_j_d_b   job j on day d in bay b        z_j_d_w_s  with person w at site s      n_j  not placed
//	f_j_d_b   it cooled overnight in the bay v_w_d_s    person w is at site s on d   u_s_d_k  product k mixed
//	o_w_d     overtime, hours                c_u_d      unit u of several jobs is called in on d
//
// Pinned jobs are fixed; limits that they exceed already are raised to what they take.
func WriteMIP(out io.Writer, p *Problem) error {
	if err := p.Valid(); err != nil {
		return err
	}
	m := &programme{h: newSearch(p), rows: map[string]*row{}}
	for j := range p.Jobs {
		m.job(j)
	}
	m.limits()
	return m.write(out)
}

type term struct {
	factor float64
	name   string
}

type row struct {
	terms []term
	sense string
	right float64
}

type programme struct {
	h         *search
	objective []term
	rows      map[string]*row
	names     []string
	binary    []string
	bounded   []string
	known     map[string]bool
}

func (m *programme) row(name, sense string, right float64) *row {
	r, ok := m.rows[name]
	if !ok {
		r = &row{sense: sense, right: right}
		m.rows[name] = r
		m.names = append(m.names, name)
	}
	return r
}

func (r *row) add(factor float64, name string) { r.terms = append(r.terms, term{factor, name}) }

// is declares a binary variable with its cost.
func (m *programme) is(name string, cost float64) string {
	if m.known == nil {
		m.known = map[string]bool{}
	}
	if !m.known[name] {
		m.known[name] = true
		m.binary = append(m.binary, name)
		if cost != 0 {
			m.objective = append(m.objective, term{cost, name})
		}
	}
	return name
}

func (m *programme) job(j int) {
	p, job := m.h.p, &m.h.p.Jobs[j]
	once := m.row(fmt.Sprintf("once_%d", j), "=", 1)
	if job.Pinned {
		at := *job.Before
		site := p.Bays[at.Bay].Site
		m.inBay(j, at.Day, at.Bay, site, once)
		m.with(j, at.Day, at.Person, site)
		m.row(fmt.Sprintf("pin_%d", j), "=", 1).add(1, fmt.Sprintf("y_%d_%d_%d", j, at.Day, at.Bay))
		return
	}
	once.add(1, m.is(fmt.Sprintf("n_%d", j), p.unplaced(j)))
	for _, sl := range m.h.slots[j] {
		for _, b := range m.h.bays[j][sl.site] {
			if closed := p.Bays[b].Closed; closed == nil || !closed[sl.day] {
				m.inBay(j, sl.day, b, sl.site, once)
			}
		}
		for _, w := range m.h.people[j][sl.site] {
			if p.People[w].Hours[sl.day] > 0 {
				m.with(j, sl.day, w, sl.site)
			}
		}
	}
}

// inBay is the job on a day in a bay: its cost, its hours there, the set-up of its product, its stock.
func (m *programme) inBay(j, d, b, site int, once *row) {
	p, job := m.h.p, &m.h.p.Jobs[j]
	cost := m.h.base.of(j, site, d)
	if was := job.Before; was != nil {
		if was.Day != d {
			cost += p.Rates.OtherDay
		}
		if was.Bay != b {
			cost += p.Rates.Other
		}
	}
	cost += p.Rates.Cooling * job.Cool
	y := m.is(fmt.Sprintf("y_%d_%d_%d", j, d, b), cost)
	once.add(1, y)
	m.row(fmt.Sprintf("who_%d_%d_%d", j, d, site), "=", 0).add(1, y)
	bay := m.row(fmt.Sprintf("bay_%d_%d", b, d), "<=", 0)
	bay.add(job.Cool+job.Hands+job.Run, y)
	if job.Cool > 0 && m.h.overnight(j, d) {
		f := m.is(fmt.Sprintf("f_%d_%d_%d", j, d, b), -p.Rates.Cooling*job.Cool)
		bay.add(-job.Cool, f)
		m.row(fmt.Sprintf("night_%d_%d", b, d), "<=", 1).add(1, f)
		r := m.row(fmt.Sprintf("stood_%d_%d_%d", j, d, b), "<=", 0)
		r.add(1, f)
		r.add(-1, y)
	}
	if u := m.h.unit[j]; u >= 0 {
		name := fmt.Sprintf("visit_%d_%d", j, d)
		first := m.rows[name] == nil
		r := m.row(name, "<=", 0)
		r.add(1, y)
		if first {
			r.add(-1, m.is(fmt.Sprintf("c_%d_%d", u, d), p.Rates.Visit))
		}
	}
	k := m.h.product[j]
	if k >= 0 && job.Mixed {
		name := fmt.Sprintf("mix_%d_%d_%d", j, d, site)
		first := m.rows[name] == nil
		r := m.row(name, "<=", 0)
		r.add(1, y)
		if first {
			r.add(-1, m.is(fmt.Sprintf("u_%d_%d_%d", site, d, k), p.Rates.SetUp))
		}
	}
	if k >= 0 {
		for _, i := range m.h.supply[site*len(m.h.products)+k] {
			for day := d; day < p.Days; day++ {
				m.row(fmt.Sprintf("stock_%d_%d", i, day), "<=", p.Stock[i].Supply[day]).add(job.Litres, y)
			}
		}
	}
}

// with is the job on a day with a person at a site.
func (m *programme) with(j, d, w, site int) {
	p, job := m.h.p, &m.h.p.Jobs[j]
	cost := 0.0
	if was := job.Before; was != nil && was.Person != w {
		cost = p.Rates.Other
	}
	z := m.is(fmt.Sprintf("z_%d_%d_%d_%d", j, d, w, site), cost)
	m.row(fmt.Sprintf("who_%d_%d_%d", j, d, site), "=", 0).add(-1, z)
	hours := m.row(fmt.Sprintf("hours_%d_%d", w, d), "<=", 0)
	hours.add(job.Hands, z)
	known := len(m.binary)
	way := m.h.way(w, site)
	v := m.is(fmt.Sprintf("v_%d_%d_%d", w, d, site), p.Rates.Travel*way)
	if len(m.binary) > known {
		m.row(fmt.Sprintf("one_site_%d_%d", w, d), "<=", 1).add(1, v)
		hours.add(way, v)
	}
	r := m.row(fmt.Sprintf("at_%d_%d_%d_%d", j, d, w, site), "<=", 0)
	r.add(1, z)
	r.add(-1, v)
}

// limits of bays, people and stock, raised to what the pinned jobs take.
func (m *programme) limits() {
	p := m.h.p
	for b := range p.Bays {
		for d := range p.Days {
			if r := m.rows[fmt.Sprintf("bay_%d_%d", b, d)]; r != nil {
				r.right = max(p.Sites[p.Bays[b].Site].Open[d], m.h.bayHours(b*p.Days+d))
			}
		}
	}
	for w := range p.People {
		for d := range p.Days {
			m.pinnedSites(w, d)
			r := m.rows[fmt.Sprintf("hours_%d_%d", w, d)]
			if r == nil {
				continue
			}
			k := w*p.Days + d
			r.right = p.People[w].Hours[d]
			most := max(p.People[w].Overtime, m.h.personHours(k)-r.right)
			o := fmt.Sprintf("o_%d_%d", w, d)
			r.add(-1, o)
			m.objective = append(m.objective, term{p.Rates.Overtime, o})
			m.bounded = append(m.bounded, fmt.Sprintf("0 <= %s <= %s", o, digits(most)))
		}
	}
	for i := range p.Stock {
		for d := range p.Days {
			if r := m.rows[fmt.Sprintf("stock_%d_%d", i, d)]; r != nil {
				r.right = max(r.right, m.h.used[i][d])
			}
		}
	}
}

// pinnedSites lets a person be at as many sites as their pinned jobs are.
func (m *programme) pinnedSites(w, d int) {
	var sites []int
	for j := range m.h.p.Jobs {
		if at := m.h.p.Jobs[j].Before; m.h.p.Jobs[j].Pinned && at.Person == w && at.Day == d && !slices.Contains(sites, m.h.p.Bays[at.Bay].Site) {
			sites = append(sites, m.h.p.Bays[at.Bay].Site)
		}
	}
	if r := m.rows[fmt.Sprintf("one_site_%d_%d", w, d)]; r != nil && len(sites) > 1 {
		r.right = float64(len(sites))
	}
}

func digits(v float64) string { return strings.TrimSuffix(fmt.Sprintf("%.9g", v), ".") }

func (m *programme) write(out io.Writer) error {
	w := bufio.NewWriter(out)
	sum := func(terms []term) {
		for i, t := range terms {
			if i > 0 && i%8 == 0 {
				fmt.Fprint(w, "\n ")
			}
			sign := "+"
			if t.factor < 0 {
				sign = "-"
			}
			fmt.Fprintf(w, " %s %s %s", sign, digits(math.Abs(t.factor)), t.name)
		}
	}
	fmt.Fprint(w, "Minimize\n cost:")
	sum(m.objective)
	fmt.Fprint(w, "\nSubject To\n")
	for _, name := range m.names {
		r := m.rows[name]
		if len(r.terms) == 0 {
			r.terms = []term{{0, m.binary[0]}}
		}
		fmt.Fprintf(w, " %s:", name)
		sum(r.terms)
		fmt.Fprintf(w, " %s %s\n", r.sense, digits(r.right))
	}
	fmt.Fprint(w, "Bounds\n")
	for _, b := range m.bounded {
		fmt.Fprintln(w, " "+b)
	}
	fmt.Fprint(w, "Binaries\n")
	for some := range slices.Chunk(m.binary, 10) {
		fmt.Fprintln(w, " "+strings.Join(some, " "))
	}
	fmt.Fprintln(w, "End")
	return w.Flush()
}
