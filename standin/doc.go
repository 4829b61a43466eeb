// Package standin starts the simulated outside world of the demo: small real
// servers of open protocols that keep their state while they run, enforce
// their rules, keep a ledger of what they were asked, and misbehave on request.
//
// Nothing of the product imports it; only the demo and the tests do.
package standin

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"os"
	"time"

	"woolsignal/standin/almanac"
	"woolsignal/standin/bellwether"
	"woolsignal/standin/carter"
	"woolsignal/standin/gatehouse"
	"woolsignal/standin/gazette"
	"woolsignal/standin/hillline"
	"woolsignal/standin/loft"
	"woolsignal/standin/postbag"
	"woolsignal/standin/register"
	"woolsignal/standin/sensors"
	"woolsignal/standin/shieling"
)

// Keys are what the stand-ins ask of whoever calls them, and what they sign
// with.
type Keys struct {
	Bellwether string // bearer token
	Almanac    string // password of the user depot
	Register   string // X-Register-Key
	Postbag    string // password of every mailbox
	Shieling   string // the bot's bearer token
	Events     string // whsec_…, signs what Shieling tells
	Gatehouse  string // secret of the client woolsignal
	HillLine   string // the gateway's bearer key at the line
	Carter     string // the bearer key of whoever asks for a lorry
}

// One is a running stand-in, or one address of it.
type One struct {
	Name  string // bellwether, almanac, …
	Title string
	URL   string
	serve func(net.Listener) error
	stop  func()
}

// ports are where the stand-ins like to be, so that addresses stay the same
// from one start of the demo to the next.
var ports = map[string]int{"bellwether": 7421, "almanac": 7422, "clip-register": 7423, "barn-sensors": 7424,
	"postbag": 7425, "postbag-imap": 7426, "postbag-smtp": 7427,
	"shieling": 7428, "loft": 7429, "gatehouse": 7430, "hill-line": 7431, "gazette": 7432, "carter": 7433}

// Options say how the stand-ins behave.
type Options struct {
	Keys      Keys
	FreePorts bool          // take any free port rather than the usual ones
	Pace      time.Duration // how long Bellwether takes for a word
	Rules     string        // a folder of rules for Bellwether; "" is none
}

// Start starts all of them on loopback.
func Start(o Options) ([]*One, error) {
	all, err := build(o)
	if err != nil {
		return nil, err
	}
	for i, one := range all {
		port := ports[one.Name]
		if o.FreePorts {
			port = 0
		}
		listener, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err != nil && port != 0 {
			listener, err = net.Listen("tcp", "127.0.0.1:0")
		}
		if err != nil {
			Stop(all[:i])
			return nil, fmt.Errorf("standin: %s: %w", one.Name, err)
		}
		one.URL += listener.Addr().String()
		go func() {
			if err := one.serve(listener); err != nil && !errors.Is(err, http.ErrServerClosed) &&
				!errors.Is(err, net.ErrClosed) {
				panic(err) // the demo is of no use without its outside world
			}
		}()
	}
	return all, nil
}

// build makes them all, none of them listening yet.
func build(o Options) ([]*One, error) {
	mail := postbag.New(o.Keys.Postbag)
	imap, smtp := mail.IMAP(), mail.SMTP()
	_, chat, err := shieling.New(o.Keys.Shieling, o.Keys.Events)
	if err != nil {
		return nil, err
	}
	gate, gates := gatehouse.New(o.Keys.Gatehouse)
	shelf, err := os.MkdirTemp("", "woolsignal-loft-")
	if err != nil {
		return nil, fmt.Errorf("standin: %w", err)
	}
	files, err := loft.New(shelf, gate.Allows)
	if err != nil {
		return nil, err
	}
	lofty := web("loft", "Loft, files", files)
	stopWeb := lofty.stop
	lofty.stop = func() { stopWeb(); _ = os.RemoveAll(shelf) } // it is a folder of ours in the temporary one
	return []*One{
		web("bellwether", "Bellwether, a model server", bellwether.New(bellwether.Options{Key: o.Keys.Bellwether,
			Pace: o.Pace, Rules: o.Rules})),
		web("almanac", "Almanac, calendars", almanac.New(o.Keys.Almanac)),
		web("clip-register", "Clip Register, deliveries and growers", register.New(o.Keys.Register)),
		web("barn-sensors", "Barn Sensors, the stores' air", sensors.New()),
		web("postbag", "Postbag, mail: read and write as anybody", mail),
		{Name: "postbag-imap", Title: "Postbag, IMAP", URL: "imap://", serve: imap.Serve,
			stop: func() { _ = imap.Close() }},
		{Name: "postbag-smtp", Title: "Postbag, SMTP", URL: "smtp://", serve: smtp.Serve,
			stop: func() { _ = smtp.Close() }},
		web("shieling", "Shieling, team chat: type as anybody", chat),
		lofty,
		web("gatehouse", "Gatehouse, a sign-in server", gates),
		web("hill-line", "Hill Line, telephone: call from here", hillline.New(o.Keys.HillLine)),
		web("carter", "Carter, the haulier's agent", carter.New(o.Keys.Carter)),
		web("gazette", "Fell Gazette, public pages", gazette.New()),
	}, nil
}

// web is a stand-in that speaks HTTP.
func web(name, title string, h http.Handler) *One {
	s := &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
	return &One{Name: name, Title: title, URL: "http://", serve: s.Serve, stop: func() {
		ctx, cancel := context.WithTimeout(context.Background(), time.Second)
		defer cancel()
		if s.Shutdown(ctx) != nil {
			_ = s.Close() // slow answers are cut off
		}
	}}
}

// Stop ends them.
func Stop(all []*One) {
	for _, one := range all {
		one.stop()
	}
}
