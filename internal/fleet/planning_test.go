package fleet_test

import (
	"fmt"
	"testing"

	"diligentledger/core/schedule"
	"diligentledger/internal/fleet"
)

func TestExplore(t *testing.T) {
	ctx := t.Context()
	today, _ := open.Today(ctx)
	p, err := open.Propose(ctx, marrow, fleet.Wish{From: today.AddDays(1), To: today.AddDays(30), AllDue: true})
	if err != nil {
		t.Fatal(err)
	}
	fmt.Println("placed", p.Placed, "added", p.Added, "left", len(p.Left), p.NoDay, p.Took, p.Cost)
	for _, l := range p.Left {
		fmt.Println("  left", l.Job.Unit.Code, l.Job.Work, l.Need.Breaks, l.Room)
	}
	b, err := open.PlanBoard(ctx, today.AddDays(30))
	if err != nil {
		t.Fatal(err)
	}
	fmt.Println(schedule.Check(b.Problem, b.Plan))
	for _, j := range b.Jobs {
		if j.Index >= 0 {
			s := b.Problem.Jobs[j.Index]
			where := "-"
			if j.Placed != nil {
				where = fmt.Sprint(j.Placed.Day, j.Placed.Bay, j.Placed.Technician)
			}
			hard := "-"
			if s.Hard != nil {
				hard = fmt.Sprint(*s.Hard)
			}
			fmt.Printf("%s %s hands %.1f cool %.1f run %.1f hard %s held %v e%d %s %.1f %s from %s to %s %s\n", j.Unit.Code, j.Work, s.Hands, s.Cool, s.Run, hard, s.Held, s.Earliest, s.Product, s.Litres, where, j.From, j.To, j.Unsheeted)
		} else {
			fmt.Println(j.Unit.Code, j.Work, "done", j.Done)
		}
	}
}
