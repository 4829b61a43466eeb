// Package almanac plays the co-operative's calendars: a CalDAV server
// (RFC 4791) with one calendar for each dock, kept in memory.
package almanac

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"net/http"
	"path"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-ical"
	"github.com/emersion/go-webdav"
	"github.com/emersion/go-webdav/caldav"

	"woolsignal/standin/ledger"
)

// Home is the path of the depot's calendars; Calendars are their names.
const Home = "/depot/calendars/"

// Calendars are the docks, and the co-operative's own.
var Calendars = []string{"dock-1", "dock-2", "payouts", "sales", "collections"}

// New makes the server. The user is depot; password is what it asks for.
func New(password string) http.Handler {
	b := &backend{objects: map[string]*caldav.CalendarObject{}}
	b.seed(time.Now())
	handler := &caldav.Handler{Backend: b}
	return ledger.Wrap(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		user, given, _ := r.BasicAuth()
		if user != "depot" || given != password {
			w.Header().Set("WWW-Authenticate", `Basic realm="Almanac"`)
			http.Error(w, "Almanac does not know this user or password", http.StatusUnauthorized)
			return
		}
		handler.ServeHTTP(w, r)
	}))
}

type backend struct {
	mu      sync.Mutex // guards what follows
	objects map[string]*caldav.CalendarObject
}

func (b *backend) CurrentUserPrincipal(context.Context) (string, error) { return "/depot/", nil }

func (b *backend) CalendarHomeSetPath(context.Context) (string, error) { return Home, nil }

func (b *backend) CreateCalendar(context.Context, *caldav.Calendar) error {
	return webdav.NewHTTPError(http.StatusForbidden, errors.New("the depot has two docks, and no more"))
}

func (b *backend) ListCalendars(context.Context) ([]caldav.Calendar, error) {
	var all []caldav.Calendar
	for _, name := range Calendars {
		all = append(all, caldav.Calendar{Path: Home + name + "/", Name: name,
			SupportedComponentSet: []string{"VEVENT"}})
	}
	return all, nil
}

func (b *backend) GetCalendar(ctx context.Context, path string) (*caldav.Calendar, error) {
	all, _ := b.ListCalendars(ctx)
	i := slices.IndexFunc(all, func(c caldav.Calendar) bool {
		return strings.TrimSuffix(c.Path,
			"/") == strings.TrimSuffix(path, "/")
	})
	if i < 0 {
		return nil, webdav.NewHTTPError(http.StatusNotFound, fmt.Errorf("there is no calendar at %s", path))
	}
	return &all[i], nil
}

func (b *backend) GetCalendarObject(_ context.Context, path string,
	_ *caldav.CalendarCompRequest) (*caldav.CalendarObject, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if o, ok := b.objects[path]; ok {
		return o, nil
	}
	return nil, webdav.NewHTTPError(http.StatusNotFound, fmt.Errorf("there is no event at %s", path))
}

func (b *backend) ListCalendarObjects(_ context.Context, folder string,
	_ *caldav.CalendarCompRequest) ([]caldav.CalendarObject, error) {
	b.mu.Lock()
	defer b.mu.Unlock()
	var all []caldav.CalendarObject
	for p, o := range b.objects {
		if path.Dir(p) == strings.TrimSuffix(folder, "/") {
			all = append(all, *o)
		}
	}
	slices.SortFunc(all, func(x, y caldav.CalendarObject) int { return strings.Compare(x.Path, y.Path) })
	return all, nil
}

func (b *backend) QueryCalendarObjects(ctx context.Context, folder string,
	query *caldav.CalendarQuery) ([]caldav.CalendarObject, error) {
	if _, err := b.GetCalendar(ctx, folder); err != nil {
		return nil, err
	}
	all, err := b.ListCalendarObjects(ctx, folder, nil)
	if err != nil {
		return nil, err
	}
	return caldav.Filter(query, all)
}

func (b *backend) PutCalendarObject(ctx context.Context, at string, cal *ical.Calendar,
	opts *caldav.PutCalendarObjectOptions) (*caldav.CalendarObject, error) {
	if _, err := b.GetCalendar(ctx, path.Dir(at)); err != nil {
		return nil, err
	}
	if _, _, err := caldav.ValidateCalendarObject(cal); err != nil {
		return nil, webdav.NewHTTPError(http.StatusBadRequest, err)
	}
	b.mu.Lock()
	defer b.mu.Unlock()
	known, exists := b.objects[at]
	if opts.IfNoneMatch.IsSet() && exists {
		return nil, webdav.NewHTTPError(http.StatusPreconditionFailed, errors.New("it is already there"))
	}
	if opts.IfMatch.IsSet() {
		if !exists {
			return nil, webdav.NewHTTPError(http.StatusPreconditionFailed, errors.New("it is not there"))
		}
		if wanted, err := opts.IfMatch.ETag(); err != nil || wanted != known.ETag {
			return nil, webdav.NewHTTPError(http.StatusPreconditionFailed, errors.New("it was changed meanwhile"))
		}
	}
	var text strings.Builder
	if err := ical.NewEncoder(&text).Encode(cal); err != nil {
		return nil, webdav.NewHTTPError(http.StatusBadRequest, err)
	}
	sum := sha256.Sum256([]byte(text.String()))
	o := &caldav.CalendarObject{Path: at, ModTime: time.Now(), ContentLength: int64(text.Len()),
		ETag: fmt.Sprintf("%x", sum[:8]), Data: cal}
	b.objects[at] = o
	return o, nil
}

func (b *backend) DeleteCalendarObject(_ context.Context, path string) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	if _, ok := b.objects[path]; !ok {
		return webdav.NewHTTPError(http.StatusNotFound, fmt.Errorf("there is no event at %s", path))
	}
	delete(b.objects, path)
	return nil
}

// seed puts the next payout and the next sale into the calendars.
func (b *backend) seed(now time.Time) {
	for calendar, e := range map[string]struct {
		title string
		ahead int
	}{"payouts": {"Payout to all growers", 12}, "sales": {"Winter wool sale", 16},
		"collections": {"Skell Top: 12 bales", 6}} {
		at := time.Date(now.Year(), now.Month(), now.Day()+e.ahead, 10, 0, 0, 0, time.UTC)
		cal := ical.NewCalendar()
		cal.Props.SetText(ical.PropVersion, "2.0")
		cal.Props.SetText(ical.PropProductID, "-//Almanac//EN")
		v := ical.NewEvent()
		v.Props.SetText(ical.PropUID, calendar+"-next")
		v.Props.SetDateTime(ical.PropDateTimeStamp, now.UTC())
		v.Props.SetDateTime(ical.PropDateTimeStart, at)
		v.Props.SetDateTime(ical.PropDateTimeEnd, at.Add(2*time.Hour))
		v.Props.SetText(ical.PropSummary, e.title)
		cal.Children = append(cal.Children, v.Component)
		// an event of our own always fits
		_, _ = b.PutCalendarObject(context.Background(), Home+calendar+"/next.ics", cal,
			&caldav.PutCalendarObjectOptions{})
	}
}
