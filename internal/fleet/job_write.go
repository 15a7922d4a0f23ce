package fleet

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"diligentledger/core/access"
	"diligentledger/core/job"
	"diligentledger/core/ledger"
	"diligentledger/core/refusal"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// StartJob and put the unit on hold, unless it is driven with cleaner first or this is an exercise. Started twice it is one job.
func (f *Fleet) StartJob(ctx context.Context, who Actor, w JobWanted) (store.Job, error) {
	none := func(store.JobLocked) ([]job.Event, error) { return nil, nil }
	kept, err := f.store.Job(ctx, w.ID)
	if err == nil {
		return f.changeJob(ctx, who, kept, nil, none)
	}
	if !errors.Is(err, store.ErrNoJob) {
		return kept, err
	}
	s, _, err := f.JobSetup(ctx, w)
	if err != nil {
		if kept, there := f.store.Job(ctx, w.ID); there == nil {
			return f.changeJob(ctx, who, kept, nil, none) // begun meanwhile, by the same request sent twice
		}
		return store.Job{}, err
	}
	j := store.Job{Setup: s, Person: who.ID, Who: who.Name, StartedAt: f.now().UTC().Truncate(time.Microsecond)}
	return f.changeJob(ctx, who, j, &j, none)
}

// AddJobEvents that a person sends. A step's answer is kept even when another one was faster: the sheet shows both. Events after
// the job was posted, releases and posts are not among what may be sent here.
func (f *Fleet) AddJobEvents(ctx context.Context, who Actor, id string, events []job.Event) error {
	j, err := f.store.Job(ctx, id)
	if err != nil {
		return err
	}
	for i := range events {
		e := &events[i]
		e.By, e.ByID, e.Role = who.Name, who.ID, who.Role
		if field := checkEvent(j, *e, fmt.Sprintf("/events/%d", i)); field != nil {
			return &refusal.Error{Fields: []*refusal.Field{field}}
		}
	}
	_, err = f.changeJob(ctx, who, j, nil, func(l store.JobLocked) ([]job.Event, error) {
		added, err := store.NewEvents(l.Kept, events)
		if err != nil || len(added) == 0 {
			return nil, err
		}
		now := f.now().UTC().Truncate(time.Microsecond)
		st := job.Open(j.Setup, l.Kept, now)
		switch {
		case st.Cancelled != nil, st.Released != nil:
			return nil, fmt.Errorf("%w: %s", store.ErrJobEnded, id)
		case st.Posted != nil && !onlyCancels(added):
			return nil, refusal.New("/events/0/type", string(added[0].Type), "no more events: the entries of this job are in the ledger, correct them there; or a cancellation by a coordinator, after which the unit stays on hold")
		}
		for i := range added {
			added[i] = inTime(added[i], j.StartedAt, now)
			if field := f.checkAnswer(j.Setup, st, append(slices.Clone(l.Kept), added[:i]...), added[i], fmt.Sprintf("/events/%d", i)); field != nil {
				return nil, &refusal.Error{Fields: []*refusal.Field{field}}
			}
		}
		return added, nil
	})
	return err
}

func onlyCancels(events []job.Event) bool {
	return !slices.ContainsFunc(events, func(e job.Event) bool { return e.Type != job.Cancelled })
}

// inTime is an event with a time that can be: not before the job began, and not after it came in. The clock of a device may be
// wrong by any amount, and its steps are no less done. A timer whose beginning cannot be known begins when it came in: nothing
// is taken to have cooled that may not have.
func inTime(e job.Event, began, now time.Time) job.Event {
	e.At = e.At.UTC().Truncate(time.Microsecond)
	said := e.At
	switch {
	case e.At.After(now), e.At.Before(began) && e.Type == job.Timed:
		e.At = now
	case e.At.Before(began):
		e.At = began
	}
	if !e.At.Equal(said) {
		e.DeviceAt = &said
	}
	return e
}

// ReleaseJob lifts the hold of a job that is ready, by a person who may, with a release in the ledger. confirmed: a hold that
// another entry put on the unit ends too.
func (f *Fleet) ReleaseJob(ctx context.Context, who Actor, id string, release ledger.Release, confirmed bool) error {
	j, err := f.store.Job(ctx, id)
	if err != nil {
		return err
	}
	o, err := f.Open(ctx, f.jobAddress(ctx, j), "")
	if err != nil {
		return err
	}
	var by *entryWriting
	err = f.reopening(ctx, o, func(o *store.Opened) error {
		by = f.writing(ctx, who, o)
		_, _, err := f.store.WriteJob(ctx, o, store.JobChange{ID: id, Check: by.check, Stored: by.stored, Summary: f.summaryNow, Plan: func(l store.JobLocked) (w store.JobWrite, err error) {
			by.entries = nil
			st := job.Open(j.Setup, l.Kept, f.now())
			if st.Released != nil {
				return w, nil
			}
			if err := f.mayRelease(who, j, l, st, confirmed); err != nil {
				return w, err
			}
			if st.Posted == nil {
				if w, err = f.posting(who, l, l.Kept, st); err != nil {
					return w, err
				}
			}
			at := f.now().UTC().Truncate(time.Microsecond)
			for _, e := range w.Entries {
				at = later(at, e.At.Add(time.Microsecond))
			}
			e := ledger.Entry{ID: job.EntryID(id, "release"), At: at, Body: release, Confirmed: true, Envelope: ledger.Envelope{Job: id, Step: "release"}}
			if there, err := l.There(e.ID); err != nil {
				return w, err
			} else if !there {
				w.Entries = append(w.Entries, e)
			}
			w.Events = append(w.Events, job.Event{ID: job.EntryID(id, "released"), At: at, By: who.Name, ByID: who.ID, Role: who.Role, Type: job.Released, Why: release.What})
			by.entries = signed(w.Entries, who, o)
			return w, nil
		}})
		return err
	})
	if err == nil {
		by.refresh(ctx)
	}
	return err
}

func later(a, b time.Time) time.Time {
	if b.After(a) {
		return b
	}
	return a
}

// signed entries of the circuit of an opened unit: by the person who did the step, else by who sends them.
func signed(entries []ledger.Entry, who Actor, o *store.Opened) []ledger.Entry {
	for i := range entries {
		entries[i].Unit = o.Ledger.Code
		if entries[i].RecordedBy == "" {
			entries[i].RecordedBy, entries[i].RecordedByID, entries[i].Envelope.Token = who.Name, who.ID, who.Token
		}
	}
	return entries
}

// mayRelease a job: who may, all steps done, and another hold of the unit asked about.
func (f *Fleet) mayRelease(who Actor, j store.Job, l store.JobLocked, st job.State, confirmed bool) error {
	switch {
	case st.Cancelled != nil || j.Setup.Exercise:
		return fmt.Errorf("%w: %s", store.ErrJobEnded, j.Setup.ID)
	case !j.Setup.MayRelease(who.Role):
		return &Forbidden{Field: &refusal.Field{Pointer: "/type", Got: "a release by a " + string(who.Role), Accepted: "a release by a " + words.JobRoles(j.Setup.Of == "aircraft")}}
	case !st.Ready:
		title := st.Next
		if step := st.Step(st.Next); step != nil {
			title, _ = words.JobStep(*step)
		}
		return refusal.New("/type", "a release with open steps", "a release once all steps are done; next: "+title)
	}
	if l.Account == nil || l.Account.Held == nil || confirmed || ownHold(j, l.Kept, l.Account.Held.ID) {
		return nil
	}
	why := ""
	if b, ok := l.Account.Held.Body.(ledger.Hold); ok {
		why = b.Why
	}
	return &refusal.Error{Fields: []*refusal.Field{{Pointer: "/confirmed", Got: "a release of a unit that " + l.Account.Held.RecordedBy + " put on hold: " + why, Accepted: "a confirmation that this hold ends too", Question: true}}}
}

func (f *Fleet) summaryNow(j store.Job, all []job.Event) store.JobSummary {
	return jobSummary(j.Setup, all, f.now())
}

// changeJob adds the events that take gives to a job, with all that follows: the hold that it needs, its entries in the ledger
// once it is ready or cancelled, and that they are there. All of it is one transaction. What the ledger refuses is no reason to
// lose a step: then the events are added without the entries, and the sheet says what to correct ([Fleet.JobProblem]); of a
// cancellation, which nothing can be corrected after, the reason is a note in the ledger.
func (f *Fleet) changeJob(ctx context.Context, who Actor, j store.Job, begin *store.Job, take func(store.JobLocked) ([]job.Event, error)) (store.Job, error) {
	o, err := f.Open(ctx, f.jobAddress(ctx, j), "")
	if err != nil {
		return j, err
	}
	err = f.reopening(ctx, o, func(o *store.Opened) (err error) {
		j, err = f.changeOpened(ctx, who, o, j, begin, take)
		return err
	})
	return j, err
}

func (f *Fleet) changeOpened(ctx context.Context, who Actor, o *store.Opened, j store.Job, begin *store.Job, take func(store.JobLocked) ([]job.Event, error)) (store.Job, error) {
	var refused error // of the ledger, to the entries of the job
	for {
		by, posting := f.writing(ctx, who, o), false
		now, _, err := f.store.WriteJob(ctx, o, store.JobChange{ID: j.Setup.ID, Begin: begin, Check: by.check, Stored: by.stored, Summary: f.summaryNow, Plan: func(l store.JobLocked) (w store.JobWrite, err error) {
			by.entries, posting = nil, false
			added, err := take(l)
			if err != nil {
				return w, err
			}
			all := append(slices.Clone(l.Kept), added...)
			st := job.Open(j.Setup, all, f.now())
			hold, err := f.jobNeedsHold(l, all, st)
			if err != nil {
				return w, err
			}
			var post store.JobWrite
			switch {
			case st.Posted != nil || !st.Ready && st.Cancelled == nil:
			case refused == nil:
				if post, err = f.posting(who, l, all, st); err != nil {
					return w, err
				}
			case st.Cancelled != nil:
				post.Entries = []ledger.Entry{{ID: job.EntryID(j.Setup.ID, "unposted"), At: f.now().UTC().Truncate(time.Microsecond), Confirmed: true,
					Body: ledger.NoteBody{Text: words.JobUnposted(refused)}, Envelope: ledger.Envelope{Job: j.Setup.ID, Step: "unposted"}}}
			}
			posting = refused == nil && len(post.Entries) > 0
			by.entries = signed(append(hold, post.Entries...), who, o)
			return store.JobWrite{Events: append(added, post.Events...), Entries: by.entries, Audit: post.Audit}, nil
		}})
		if err == nil {
			by.refresh(ctx)
			return now, nil
		}
		var wrong *refusal.Error
		var forbidden *Forbidden
		if !posting || !errors.As(err, &wrong) && !errors.As(err, &forbidden) && !errors.Is(err, store.ErrEntryDiffers) {
			return j, err
		}
		refused = err
	}
}

// jobNeedsHold is the hold of a job that is not in the ledger yet: that of its beginning, or that of its pause with what is open
// and why. A hold that another entry put on the unit stays as it is.
func (f *Fleet) jobNeedsHold(l store.JobLocked, all []job.Event, st job.State) ([]ledger.Entry, error) {
	if !st.Holds || st.Cancelled != nil || st.Released != nil {
		return nil, nil
	}
	e := jobHold(l.Job, all, st)
	if there, err := l.There(e.ID); err != nil || there {
		return nil, err
	}
	if l.Account != nil && l.Account.Held != nil && !ownHold(l.Job, all, l.Account.Held.ID) {
		return nil, nil
	}
	return []ledger.Entry{e}, nil
}

// posting are the entries of a job that is ready or cancelled, and of one that is ready that they are in the ledger. Of a job
// whose entries an earlier version wrote without saying so, they are not written again.
func (f *Fleet) posting(who Actor, l store.JobLocked, all []job.Event, st job.State) (w store.JobWrite, err error) {
	j := l.Job
	w.Entries = job.Entries(j.Setup, st, words.JobNote)
	for _, e := range w.Entries {
		there, err := l.There(e.ID)
		if err != nil {
			return w, err
		}
		if there {
			w.Entries = nil
			w.Audit = finished(who, j)
			break
		}
	}
	if st.Cancelled != nil {
		return w, nil // what was done until then is in the ledger, and the unit stays on hold
	}
	w.Events = []job.Event{f.posted(who, j)}
	return w, nil
}

func (f *Fleet) posted(who Actor, j store.Job) job.Event {
	return job.Event{ID: job.EntryID(j.Setup.ID, "posted"), At: f.now().UTC().Truncate(time.Microsecond), By: who.Name, ByID: who.ID, Role: who.Role, Type: job.Posted}
}

// finished is the line of the audit of a job whose entries were in the ledger, which the job did not say.
func finished(who Actor, j store.Job) *store.Audited {
	return &store.Audited{Who: who.Name, WhoID: who.ID, What: "job_finished", Detail: j.Setup.Address + ": " + words.JobNames[j.Setup.Kind] + ", job " + j.Setup.ID}
}

// FinishJobs whose entries an earlier version wrote into the ledger without saying so in the job, in a transaction of its own,
// and died in between: such a job takes no correction and no release. How many there were.
func (f *Fleet) FinishJobs(ctx context.Context) (n int, err error) {
	jobs, err := f.store.Jobs(ctx, f.now(), 0)
	if err != nil {
		return 0, err
	}
	for _, listed := range jobs {
		if listed.EndedAt != nil || listed.Setup.Exercise {
			continue
		}
		done, err := f.finishJob(ctx, listed.Job)
		if err != nil {
			return n, fmt.Errorf("job %s: %w", listed.Setup.ID, err)
		}
		if done {
			n++
		}
	}
	return n, nil
}

func (f *Fleet) finishJob(ctx context.Context, j store.Job) (done bool, err error) {
	o, err := f.Open(ctx, f.jobAddress(ctx, j), "")
	if err != nil {
		return false, err
	}
	written, err := f.writtenBy(ctx, o, j.Setup.ID)
	if err != nil {
		return false, err
	}
	released := slices.IndexFunc(written, func(e ledger.Entry) bool { return e.ID == job.EntryID(j.Setup.ID, "release") })
	posted := slices.ContainsFunc(written, func(e ledger.Entry) bool { return e.Envelope.Step != "hold" && e.Envelope.Step != "release" })
	if !posted && released < 0 {
		return false, nil
	}
	who := Actor{Name: "diligent"}
	by := f.writing(ctx, who, o)
	_, _, err = f.store.WriteJob(ctx, o, store.JobChange{ID: j.Setup.ID, Check: by.check, Stored: by.stored, Summary: f.summaryNow, Plan: func(l store.JobLocked) (w store.JobWrite, err error) {
		done = false
		st := job.Open(j.Setup, l.Kept, f.now())
		if st.Cancelled != nil || st.Posted != nil && (released < 0 || st.Released != nil) {
			return w, nil
		}
		done = true
		if st.Posted == nil {
			w.Events = append(w.Events, f.posted(who, j))
		}
		if released >= 0 {
			// The ledger has judged who released it; of which role they were is not in the entry.
			e, role := written[released], access.Coordinator
			if j.Setup.Of == "aircraft" {
				role = access.Signatory
			}
			b, _ := e.Body.(ledger.Release)
			w.Events = append(w.Events, job.Event{ID: job.EntryID(j.Setup.ID, "released"), At: e.At, By: e.RecordedBy, ByID: e.RecordedByID, Role: role, Type: job.Released, Why: b.What})
		}
		w.Audit = finished(who, j)
		return w, nil
	}})
	return done, err
}

// writtenBy a job into the account of an opened circuit, without what was struck, with where in the job each comes from.
func (f *Fleet) writtenBy(ctx context.Context, o *store.Opened, id string) (all []ledger.Entry, err error) {
	entries, err := f.store.Entries(ctx, o.Unit)
	struck := map[string]bool{}
	for _, e := range entries {
		if s, is := e.Body.(ledger.Strike); is {
			struck[s.Entry] = true
		}
	}
	for _, e := range entries {
		if e.Envelope.Job == id && !struck[e.ID] {
			all = append(all, e)
		}
	}
	return all, err
}
