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
	"time"

	"woolsignal/standin/almanac"
	"woolsignal/standin/bellwether"
	"woolsignal/standin/register"
	"woolsignal/standin/sensors"
)

// Keys are what the stand-ins ask of whoever calls them.
type Keys struct {
	Bellwether string // bearer token
	Almanac    string // password of the user depot
	Register   string // X-Register-Key
}

// One is a running stand-in.
type One struct {
	Name  string // bellwether, almanac, …
	Title string
	URL   string
	web   *http.Server
}

// ports are where the stand-ins like to be, so that addresses stay the same
// from one start of the demo to the next.
var ports = map[string]int{"bellwether": 7421, "almanac": 7422, "clip-register": 7423, "barn-sensors": 7424}

// Options say how the stand-ins behave.
type Options struct {
	Keys      Keys
	FreePorts bool          // take any free port rather than the usual ones
	Pace      time.Duration // how long Bellwether takes for a word
}

// Start starts all of them on loopback.
func Start(o Options) ([]*One, error) {
	all := []*One{
		{Name: "bellwether", Title: "Bellwether, a model server", web: serve(bellwether.New(o.Keys.Bellwether, o.Pace))},
		{Name: "almanac", Title: "Almanac, calendars", web: serve(almanac.New(o.Keys.Almanac))},
		{Name: "clip-register", Title: "Clip Register, deliveries and growers", web: serve(register.New(o.Keys.Register))},
		{Name: "barn-sensors", Title: "Barn Sensors, the stores' air", web: serve(sensors.New())},
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
		one.URL = "http://" + listener.Addr().String()
		go func() {
			if err := one.web.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
				panic(err) // the demo is of no use without its outside world
			}
		}()
	}
	return all, nil
}

func serve(h http.Handler) *http.Server {
	return &http.Server{Handler: h, ReadHeaderTimeout: 10 * time.Second}
}

// Stop ends them.
func Stop(all []*One) {
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	for _, one := range all {
		if one.web.Shutdown(ctx) != nil {
			_ = one.web.Close() // slow answers are cut off
		}
	}
}
