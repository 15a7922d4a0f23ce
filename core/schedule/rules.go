package schedule

import (
	"cmp"
	"slices"
)

// Rule that a place can break.
type Rule string

// The rules. Hours and limit are the numbers of a [Break].
const (
	OutOfRange Rule = "out_of_range"
	SiteClosed Rule = "site_closed"
	BayClosed  Rule = "bay_closed"
	BayKind    Rule = "bay_kind"
	BayFull    Rule = "bay_full"     // hours that the bay's jobs take that day, of the hours it is open
	TooLong    Rule = "too_long"     // hours of the job alone, of the hours the bay is open
	NotThere   Rule = "person_away"  // the person does not work that day
	NoSkill    Rule = "skill"        // Skills: those that the person does not have
	PersonFull Rule = "person_full"  // hours of the person's jobs and way, of their hours with overtime
	OtherSite  Rule = "other_site"   // the person is at another site that day
	NoWay      Rule = "no_way"       // there is no way from the one site to the other
	UnitAway   Rule = "unit_away"    // the unit is not there
	TooEarly   Rule = "too_early"    // before the job's first day
	HardNight  Rule = "hard_night"   // on or after the day of its hard night
	OutOfStock Rule = "out_of_stock" // litres used up to a day, of those there by then
	NoBay      Rule = "no_bay"       // no bay of the kind at a site within reach
	NoPerson   Rule = "no_person"    // no person within reach has the skills
	UnitsNoWay Rule = "unit_no_way"  // the unit is not brought from its site to that of the bay
)

// Rules that there are.
var Rules = []Rule{OutOfRange, SiteClosed, BayClosed, BayKind, BayFull, TooLong, NotThere, NoSkill, PersonFull, OtherSite, NoWay, UnitAway, TooEarly, HardNight, OutOfStock, NoBay, NoPerson, UnitsNoWay}

// Warned reports whether a person may place a job against the rule: what then happens is theirs to know. A proposal never does.
func (r Rule) Warned() bool { return r == HardNight || r == TooEarly || r == OutOfStock }

// Break of a rule by the place of a job.
type Break struct {
	Job  int
	Rule Rule
	Place
	Hours, Limit float64
	Skills       []string
}

// slack of sums of hours and litres: rounding, no rule.
const slack = 1e-9

// breaks of the rules by a job at a place, with the other jobs of the state; the job itself is not in it.
func (s *state) breaks(j int, at Place) (all []Break) {
	p, job := s.p, &s.p.Jobs[j]
	add := func(r Rule, hours, limit float64) {
		all = append(all, Break{Job: j, Rule: r, Place: at, Hours: hours, Limit: limit})
	}
	if at.Day < 0 || at.Day >= p.Days {
		add(OutOfRange, 0, 0)
		return all
	}
	bay, person := &p.Bays[at.Bay], &p.People[at.Person]
	open := p.Sites[bay.Site].Open[at.Day]
	if bay.Kind != job.Bay {
		add(BayKind, 0, 0)
	}
	if p.Travel[job.Site][bay.Site] < 0 {
		add(UnitsNoWay, 0, 0)
	}
	switch alone := job.Hands + job.Run + s.ownCooling(j, at.Day); {
	case open <= 0:
		add(SiteClosed, 0, 0)
	case bay.Closed != nil && bay.Closed[at.Day]:
		add(BayClosed, 0, 0)
	case alone > open+slack:
		add(TooLong, alone, open)
	default:
		if hours := s.bayHoursWith(j, at); hours > open+slack {
			add(BayFull, hours, open)
		}
	}
	if missing := lacking(person.Skills, job.Skills); len(missing) > 0 {
		all = append(all, Break{Job: j, Rule: NoSkill, Place: at, Skills: missing})
	}
	way := p.Travel[person.Site][bay.Site]
	switch k := at.Person*p.Days + at.Day; {
	case way < 0:
		add(NoWay, 0, 0)
	case person.Hours[at.Day] <= 0:
		add(NotThere, 0, 0)
	case s.personJobs[k] > 0 && s.personSite[k] != bay.Site:
		add(OtherSite, 0, 0)
	default:
		if hours := s.personHoursWith(j, at); hours > person.Hours[at.Day]+person.Overtime+slack {
			add(PersonFull, hours, person.Hours[at.Day]+person.Overtime)
		}
	}
	if job.Away != nil && job.Away[at.Day] {
		add(UnitAway, 0, 0)
	}
	if at.Day < job.Earliest {
		add(TooEarly, 0, 0)
	}
	if job.Hard != nil && at.Day > *job.Hard && *job.Hard >= 0 {
		add(HardNight, 0, 0)
	}
	if used, supply, short := s.shortStock(j, at); short {
		add(OutOfStock, used, supply)
	}
	return all
}

func lacking(skills, wanted []string) (missing []string) {
	for _, w := range wanted {
		if !slices.Contains(skills, w) {
			missing = append(missing, w)
		}
	}
	return missing
}

// checkAll takes each job out, asks what its place breaks, and puts it back.
func (s *state) checkAll() (all []Break) {
	for j := range s.p.Jobs {
		at := s.at[j]
		if at == nil {
			continue
		}
		place := *at
		s.remove(j)
		all = append(all, s.breaks(j, place)...)
		s.add(j, place)
	}
	slices.SortStableFunc(all, func(a, b Break) int { return cmp.Or(cmp.Compare(a.Job, b.Job), cmp.Compare(a.Rule, b.Rule)) })
	return all
}
