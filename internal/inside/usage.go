package inside

import (
	"context"
	"slices"
	"strings"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// mostUsageRows bounds an answer.
const mostUsageRows = 10_000

// Period is days of usage: from the beginning of one up to and with the day of
// the other. Nil means the last thirty days, today with them.
type Period struct{ From, To *time.Time }

// Usage adds up what models were asked for and what it cost. It returns the
// filter with its times filled in.
func (s *Service) Usage(ctx context.Context, f record.UsageFilter, p Period) (record.UsageFilter, []record.UsageRow,
	error) {
	for _, key := range f.By {
		if !slices.Contains(store.UsageKeys(), key) {
			return f, nil, fault.Say(fault.Invalid, "by is one or more of %s, with commas between.",
				strings.Join(store.UsageKeys(), ", "))
		}
	}
	today := s.Now().UTC().Truncate(24 * time.Hour)
	f.From, f.To, f.Limit = today.AddDate(0, 0, -29), today.AddDate(0, 0, 1), mostUsageRows
	if p.From != nil {
		f.From = *p.From
	}
	if p.To != nil {
		if f.To = *p.To; p.To.Equal(p.To.Truncate(24 * time.Hour)) {
			f.To = p.To.AddDate(0, 0, 1) // with that day
		}
	}
	rows, err := s.Store.Traces.Usage(ctx, f)
	return f, rows, err
}

// Preferences counts what visitors of a desk preferred, by title and model.
func (s *Service) Preferences(ctx context.Context, slug string) ([]record.Preference, error) {
	if _, err := s.Desks.Desk(ctx, slug); err != nil {
		return nil, err
	}
	return s.Store.Verdicts.Preferences(ctx, slug)
}
