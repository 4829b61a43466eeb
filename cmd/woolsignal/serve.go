package main

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"runtime/debug"
	"strings"
	"time"

	"woolsignal/console"
	"woolsignal/server"
	"woolsignal/server/access"
	"woolsignal/server/confined"
	"woolsignal/server/crash"
	"woolsignal/server/fault"
	"woolsignal/server/store"
)

// defaultAddress is where the service listens when nobody says otherwise.
const defaultAddress = "127.0.0.1:7420"

// gcPercent lets the heap, which is small, grow further between collections:
// measured, a tenth of the service's CPU under load goes back to runs.
const gcPercent = 400

// invitationLife is how long the first owner's link is good.
const invitationLife = 24 * time.Hour

// ready is what a ready file says.
type ready struct {
	URL      string            `json:"url"`
	PID      int               `json:"pid"`
	Token    string            `json:"token,omitempty"`
	People   any               `json:"people,omitempty"`
	Standins map[string]string `json:"standins,omitempty"`
}

// writeReady tells scripts that everything answers. It appears whole or not
// at all.
func writeReady(path string, r ready) error {
	if path == "" {
		return nil
	}
	data, err := json.MarshalIndent(r, "", "  ")
	if err != nil {
		return err
	}
	partial := path + ".partial"
	if err := os.WriteFile(partial, data, 0o600); err != nil {
		return err
	}
	return os.Rename(partial, path)
}

func serve(ctx context.Context, a *app, args []string) error {
	f := a.flags("serve")
	data := f.String("data", "woolsignal-data", "folder that keeps everything; made where it is missing")
	addr := f.String("addr", defaultAddress, "address to listen on")
	public := f.String("public-url", "",
		"the address people reach the service at, where that is another: https://wool.example behind a proxy")
	readyFile := f.String("ready-file", "", "write {\"url\": …} here once the service answers")
	quiet := f.Bool("quiet", false, "log warnings and errors only")
	room := f.Int64("strangers-room", store.StrangersRoom>>20,
		"how many MB strangers may leave within a day in files of forms and mails; what they send beyond that is "+
			"taken without its files, or refused")
	commands := map[string][]string{}
	f.Func("allow-command", "let connections start a process: NAME='COMMAND ARGUMENTS'; may be given again",
		func(s string) error {
			name, command, ok := strings.Cut(s, "=")
			if !ok || len(strings.Fields(command)) == 0 {
				return errors.New("write it as NAME='COMMAND ARGUMENTS'")
			}
			commands[name] = strings.Fields(command)
			return nil
		})
	var proxies []netip.Prefix
	f.Func("trusted-proxies",
		"networks of the proxies in front, as CIDR,…: their Forwarded or X-Forwarded-For says whom a request comes "+
			"from", func(s string) error {
			for _, one := range strings.Split(s, ",") {
				p, err := netip.ParsePrefix(strings.TrimSpace(one))
				if err != nil {
					return fmt.Errorf("%q is no network; write it as 10.0.0.0/8, or 192.0.2.7/32 for a single proxy",
						strings.TrimSpace(one))
				}
				proxies = append(proxies, p.Masked())
			}
			return nil
		})
	if _, err := parse(f, args, 0, 0); err != nil {
		return err
	}
	if *room < 1 {
		return fmt.Errorf("-strangers-room %d is no room; write how many MB, as 1024", *room)
	}
	*public = strings.TrimSuffix(*public, "/")
	if u, err := url.Parse(*public); err != nil || *public != "" &&
		(u.Scheme != "https" && u.Scheme != "http" || u.Host == "" || u.Path != "") {
		return fmt.Errorf("-public-url %q is no such address; write it as https://wool.example", *public)
	}
	if os.Getenv("GOGC") == "" {
		debug.SetGCPercent(gcPercent)
	}
	level := slog.LevelInfo
	if *quiet {
		level = slog.LevelWarn
	}
	log := slog.New(slog.NewJSONHandler(a.errs, &slog.HandlerOptions{Level: level}))
	pages := console.Files()
	fmt.Fprint(a.errs, withoutConsole(pages))
	self, err := os.Executable()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(*data, 0o700); err != nil {
		return err
	}
	last, err := crash.Watch(*data, fault.Label)
	if err != nil {
		return err
	}
	s, err := server.Open(ctx, server.Options{Data: *data, Crash: last, Console: pages, Log: log,
		Confined: []string{self, confined.Worker}, Commands: commands, Proxies: proxies, Public: *public,
		StrangersRoom: *room << 20})
	if err != nil {
		return err
	}
	defer s.Close()
	listener, err := net.Listen("tcp", *addr)
	if err != nil {
		return fmt.Errorf("%w; choose another address with -addr", err)
	}
	at := "http://" + listener.Addr().String()
	first, err := firstLink(ctx, s, cmp.Or(*public, at))
	if err != nil {
		return err
	}
	var failure error
	err = s.Serve(ctx, listener, func() {
		if first != "" {
			fmt.Fprintf(a.out, "Nobody has an account yet. Make the first owner's here, within a day:\n  %s\n", first)
		}
		log.Info("Wool Signal answers", "url", at, "data", abs(*data))
		failure = writeReady(*readyFile, ready{URL: at, PID: os.Getpid()})
		if failure != nil {
			log.Error("the ready file could not be written", "error", failure)
		}
	})
	if err == nil {
		log.Info("stopped; what is open goes on at the next start")
	}
	return err
}

// withoutConsole says what to do where a program was built without the console,
// as `go build` alone does; nothing where it is there.
func withoutConsole(pages fs.FS) string {
	if _, err := fs.Stat(pages, "index.html"); err == nil {
		return ""
	}
	return "This program was built without the web console: its pages answer 404. Build it with `make build`; the " +
		"command line and the API work meanwhile.\n"
}

// firstLink makes the one-time link of the first owner; "" where somebody has
// an account already.
func firstLink(ctx context.Context, s *server.Server, url string) (string, error) {
	empty, err := s.Access.Empty(ctx)
	if err != nil || !empty {
		return "", err
	}
	key, err := s.Access.Invite(ctx, access.Owner, invitationLife)
	if err != nil {
		return "", err
	}
	return url + "/join?key=" + key, nil
}

func abs(path string) string {
	if full, err := filepath.Abs(path); err == nil {
		return full
	}
	return path
}
