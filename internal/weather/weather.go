// Package weather keeps the record of each site's nights, and the forecast of
// those ahead, in step with a weather service.
package weather

import (
	"context"
	"fmt"
	"log/slog"
	"math"
	"time"

	"diligentledger/core/climate"
	"diligentledger/core/measure"
	"diligentledger/internal/store"
)

// Service gives the coldest temperature of nights at a site, by its name. A
// night is named by the day before it. Nights it does not know it leaves out.
type Service interface {
	// Minima from one night to another, the last one included.
	Minima(ctx context.Context, site string, from, to measure.Date) ([]climate.Minimum, error)
	// Forecast for the night after today and those that follow.
	Forecast(ctx context.Context, site string, today measure.Date) ([]climate.Minimum, error)
}

// Keeper asks the service and keeps what it gives. It is not safe for concurrent
// use.
type Keeper struct {
	Store   *store.Store
	Service Service
	Now     func() time.Time
	Log     *slog.Logger
}

// recordYears back that a record is asked for when a site has none.
const recordYears = 12

// Bounds, °C, of what a night can be; anything else is a fault of a sensor. The
// coldest night ever measured anywhere was −89 °C, the warmest about 44 °C.
const coldestEver, warmestEver = -89.2, 44.5

// Every is how often the service is asked.
const Every = time.Hour

// Refresh asks once for every site: for the nights since the last that is known,
// and for the forecast. A site that fails keeps what it has; the others go on.
func (k *Keeper) Refresh(ctx context.Context) error {
	sites, err := k.Store.Sites(ctx)
	if err != nil {
		return err
	}
	for _, s := range sites {
		if s.NoService {
			continue
		}
		if err := k.site(ctx, s); err != nil {
			if ctx.Err() != nil {
				return ctx.Err()
			}
			k.Log.Warn("no weather for a site", "site", s.Name, "error", err)
		}
	}
	return nil
}

func (k *Keeper) site(ctx context.Context, s store.Site) error {
	today := measure.DateOf(k.Now(), s.Zone)
	last, err := k.Store.LastNight(ctx, s.ID)
	if err != nil {
		return err
	}
	from := last.AddDays(1)
	if last.IsZero() {
		from = today.AddDate(-recordYears, 0, 0)
	}
	// The last night is over; the one after today is not.
	if to := today.AddDays(-1); to.Sub(from) >= 0 {
		nights, err := k.Service.Minima(ctx, s.Name, from, to)
		if err != nil {
			return fmt.Errorf("nights: %w", err)
		}
		if sound := k.sound(s.Name, nights); len(sound) > 0 {
			if err := k.Store.AddNights(ctx, s.ID, sound); err != nil {
				return err
			}
		}
	}
	ahead, err := k.Service.Forecast(ctx, s.Name, today)
	if err != nil {
		return fmt.Errorf("forecast: %w", err)
	}
	return k.Store.SetForecast(ctx, s.ID, k.sound(s.Name, ahead))
}

// sound leaves out what no thermometer can have read.
func (k *Keeper) sound(site string, nights []climate.Minimum) []climate.Minimum {
	var sound []climate.Minimum
	for _, n := range nights {
		if t := float64(n.Celsius); math.IsNaN(t) || t < coldestEver || t > warmestEver {
			k.Log.Debug("a night was not taken", "site", site, "day", n.Day, "celsius", t)
			continue
		}
		sound = append(sound, n)
	}
	return sound
}

// Run refreshes until ctx ends.
func (k *Keeper) Run(ctx context.Context) {
	tick := time.NewTicker(Every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := k.Refresh(ctx); err != nil && ctx.Err() == nil {
				k.Log.Warn("weather not refreshed", "error", err)
			}
		}
	}
}
