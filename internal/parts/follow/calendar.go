package follow

import (
	"context"
	"time"

	"aftergust/core/time/calendar"
	"aftergust/internal/ground"
	"aftergust/internal/who/account"
)

// Calendar is the address at which a member's calendar asks for the ends of packages;
// empty where there is none.
func (s *Service) Calendar(ctx context.Context, m account.Member) (string, error) {
	nonce, err := s.rows.Calendar(ctx, m.ID)
	if err != nil || nonce == nil {
		return "", err
	}
	return s.keys.CalendarURL(nonce), nil
}

// NewCalendar gives a member an address for their calendar. The one before leads nowhere.
func (s *Service) NewCalendar(ctx context.Context, m account.Member) (string, error) {
	nonce := s.keys.NewNonce()
	if err := s.rows.SetCalendar(ctx, m.ID, nonce, ground.Hash(s.keys.LinkToken(nonce))); err != nil {
		return "", err
	}
	return s.keys.CalendarURL(nonce), nil
}

// NoCalendar takes a member's address away.
func (s *Service) NoCalendar(ctx context.Context, m account.Member) error {
	return s.rows.SetCalendar(ctx, m.ID, nil, nil)
}

// refresh is how often a calendar is told to ask.
const refresh = 15 * time.Minute

// Feed is the calendar at an address: when what is out ends, and who has it by now.
func (s *Service) Feed(ctx context.Context, token, host string) (string, error) {
	m, ok, err := s.rows.MemberByCalendar(ctx, ground.Hash(token))
	if err != nil {
		return "", err
	}
	if !ok {
		return "", ground.Missing("calendar")
	}
	rows, err := s.Table(ctx, m, Query{Filter: Open, Order: Ends}, deskLimit)
	if err != nil {
		return "", err
	}
	entries := make([]calendar.Entry, 0, len(rows))
	for _, row := range rows {
		if row.Parcel.EndsAt == nil {
			continue
		}
		entries = append(entries, calendar.Entry{UID: row.Parcel.ID + "@" + host, At: *row.Parcel.EndsAt, Made: s.now(),
			Title: row.Parcel.Title + " ends", About: row.Share(), URL: s.keys.PackageURL(row.Parcel.ID)})
	}
	return calendar.Feed("What ends, "+m.StudioName, refresh, entries...), nil
}
