package fleet

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"fmt"
	"strconv"
	"strings"

	"diligentledger/core/refusal"
	"diligentledger/internal/store"
	"diligentledger/internal/words"
)

// calendarWeeks that a calendar holds ahead; days that have passed stay in it until their jobs are done.
const calendarWeeks = 13

// PlanCalendar of a technician, a bay or a site by its target; see [store.CalendarFeed].
type PlanCalendar struct {
	Name  string
	Board *PlanBoard
	Jobs  []PlanJob
}

// NewFeed makes a secret address of a calendar; the secret is given once.
func (f *Fleet) NewFeed(ctx context.Context, by store.Actor, of, target string) (secret string, err error) {
	if _, err := f.Calendar(ctx, of, target); err != nil {
		return "", err
	}
	random := make([]byte, 24)
	if _, err := rand.Read(random); err != nil {
		return "", err
	}
	secret = base64.RawURLEncoding.EncodeToString(random)
	_, err = f.store.AddFeed(ctx, by, store.CalendarFeed{Of: of, Target: target}, secret)
	return secret, err
}

// Feeds that are not revoked, each with its name.
func (f *Fleet) Feeds(ctx context.Context) ([]store.CalendarFeed, []string, error) {
	all, err := f.store.Feeds(ctx)
	if err != nil || len(all) == 0 {
		return nil, nil, err
	}
	today, err := f.Today(ctx)
	if err != nil {
		return nil, nil, err
	}
	b, err := f.PlanBoard(ctx, today)
	if err != nil {
		return nil, nil, err
	}
	names := make([]string, len(all))
	for i, feed := range all {
		if name, _, err := b.calendar(feed.Of, feed.Target); err == nil {
			names[i] = name
		} else {
			names[i] = feed.Of + " that is no more"
		}
	}
	return all, names, nil
}

// RevokeFeed of an id.
func (f *Fleet) RevokeFeed(ctx context.Context, by store.Actor, id int64) error {
	return f.store.RevokeFeed(ctx, by, id)
}

// CalendarBySecret of a feed; [store.ErrNoFeed].
func (f *Fleet) CalendarBySecret(ctx context.Context, secret string) (PlanCalendar, error) {
	feed, err := f.store.FeedBySecret(ctx, secret)
	if err != nil {
		return PlanCalendar{}, err
	}
	return f.Calendar(ctx, feed.Of, feed.Target)
}

// Calendar of a technician, a bay or a site; a [refusal.Error] for another target.
func (f *Fleet) Calendar(ctx context.Context, of, target string) (c PlanCalendar, err error) {
	today, err := f.Today(ctx)
	if err != nil {
		return c, err
	}
	if c.Board, err = f.PlanBoard(ctx, today.AddDays(7*calendarWeeks)); err != nil {
		return c, err
	}
	name, takes, err := c.Board.calendar(of, target)
	if err != nil {
		return c, err
	}
	c.Name = name
	c.Jobs = c.Board.PlannedJobs(takes)
	return c, nil
}

// calendar's name, and which jobs it takes.
func (b *PlanBoard) calendar(of, target string) (name string, takes func(PlanJob, store.Placement) bool, err error) {
	switch of {
	case "technician":
		for _, t := range b.Technicians {
			if strconv.FormatInt(t.ID, 10) == target {
				return t.Name, func(_ PlanJob, p store.Placement) bool { return p.Technician == t.ID }, nil
			}
		}
	case "site":
		for _, s := range b.Sites {
			if strconv.FormatInt(s.ID, 10) == target {
				return s.Name, func(_ PlanJob, p store.Placement) bool { return p.Bay.SiteID == s.ID }, nil
			}
		}
	case "bay":
		for _, bay := range b.Bays {
			if bay.Target() == target {
				return words.BayName(bay.Kind, bay.Number) + ", " + bay.Site, func(_ PlanJob, p store.Placement) bool { return p.Bay == bay.BayName }, nil
			}
		}
	}
	return "", nil, refusal.New("/target", fmt.Sprintf("%s %q", of, strings.TrimSpace(target)), "a technician, a bay or a site of the register")
}

// Target of the bay's calendar.
func (b PlanBay) Target() string { return fmt.Sprintf("%d-%s-%d", b.SiteID, b.Kind, b.Number) }
