// Command screenshots takes pictures of the demo's console, for the README and
// for looking at what was made. Without flags it starts a demo, lives through
// the README's walk and takes the README's pictures; with -ready and -only it
// takes pictures of any pages of a running demo.
package main

import (
	"context"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"log"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"woolsignal/client"
	"woolsignal/e2e/browser"
	"woolsignal/wire"
)

func main() {
	ready := flag.String("ready", "", "ready file of a running demo; without it one is started")
	out := flag.String("out", "docs/screenshots", "folder for the pictures")
	only := flag.String("only", "", "take these pages instead, as name=path,name=path")
	person := flag.Int("person", 0, "which of the demo's people signs in, for -only")
	width := flag.Int64("width", 1280, "of the window")
	height := flag.Int64("height", 800, "of the window")
	dark := flag.Bool("dark", false, "the dark set of colours")
	flag.Parse()
	if err := run(*ready, *out, *only, *person, *width, *height, *dark); err != nil {
		log.Fatal(err)
	}
}

// shot is one picture: who looks at which page.
type shot struct {
	name, path string
	person     int
	dark       bool
}

type demo struct {
	URL    string `json:"url"`
	People []struct{ Email, Password, Token string }
}

func read(path string, d *demo) error {
	data, err := os.ReadFile(path)
	if err != nil {
		return err
	}
	return json.Unmarshal(data, d)
}

// start starts a demo of its own.
func start(d *demo) (stop func(), err error) {
	folder, err := os.MkdirTemp("", "woolsignal-screenshots-")
	if err != nil {
		return nil, err
	}
	file := filepath.Join(folder, "ready.json")
	cmd := exec.Command("bin/woolsignal", "demo", "-free-ports", "-addr", "127.0.0.1:0", "-data",
		filepath.Join(folder, "data"), "-ready-file", file)
	cmd.Stderr = os.Stderr
	if err := cmd.Start(); err != nil {
		return nil, err
	}
	stop = func() {
		_ = cmd.Process.Signal(os.Interrupt)
		_ = cmd.Wait()
		_ = os.RemoveAll(folder)
	}
	for range 200 {
		if read(file, d) == nil {
			return stop, nil
		}
		time.Sleep(50 * time.Millisecond)
	}
	stop()
	return nil, errors.New("the demo does not answer")
}

// walk talks to the depot as Ines, has Tobias approve with a change, and asks
// once more, so that every page has something to show.
func walk(ctx context.Context, d demo) ([]shot, error) {
	ines := &client.Client{URL: d.URL, Token: d.People[0].Token}
	tobias := &client.Client{URL: d.URL, Token: d.People[1].Token}
	cancelled := ""
	for _, text := range []string{"Can I bring 30 fleeces on Thursday morning?", "Hollin Bank", "Cancel it",
		"What about Friday afternoon instead?"} {
		heard, err := ines.Say(ctx, "depot-slots", "c-pictures", text)
		if err != nil {
			return nil, err
		}
		detail, err := ines.Settled(ctx, heard.Run)
		if err != nil {
			return nil, err
		}
		for _, r := range detail.Reviews {
			cancelled = heard.Run
			time.Sleep(1500 * time.Millisecond) // people take a moment, and the picture shows it
			if _, err := tobias.Decide(ctx, r.ID,
				wire.Decision{Choice: "approve",
					Edited: map[string]any{"reason": "The grower's trailer is off the road"}}); err != nil {
				return nil, err
			}
			for detail.Status != "done" {
				if detail, err = ines.Run(ctx, heard.Run); err != nil {
					return nil, err
				}
			}
		}
	}
	payout, err := ines.Start(ctx, "payout-week", wire.Start{Inputs: map[string]any{"price_per_kg": 1.85}})
	if err != nil {
		return nil, err
	}
	if _, err := ines.Settled(ctx, payout); err != nil {
		return nil, err
	}
	market, err := ines.StartTask(ctx, "market-desk", wire.Task{Task: "What is new about wool?"})
	if err != nil {
		return nil, err
	}
	for done := false; !done; time.Sleep(100 * time.Millisecond) {
		detail, err := ines.Run(ctx, market)
		if err != nil {
			return nil, err
		}
		done = detail.Status.Ended()
	}
	files, err := ines.Files(ctx)
	if err != nil {
		return nil, err
	}
	// A draft that differs, for the page of versions.
	files["workflows/store-watch.yaml"] = strings.Replace(files["workflows/store-watch.yaml"], "humidity_percent > 65",
		"humidity_percent > 62", 1)
	if _, err := ines.Apply(ctx, wire.Files{Files: files}); err != nil {
		return nil, err
	}
	return []shot{{"payout-week", "/runs/" + payout, 0, false}, {"bale-offer", "/workflows/bale-offer", 0, false},
		{"today", "/", 1, false}, {"workflows", "/workflows", 0, false},
		{"depot-slots", "/workflows/depot-slots", 0, false},
		{"weighbridge", "/workflows/weighbridge", 0, false}, {"build", "/workflows/weighbridge", 0, false}, {"runs",
			"/runs", 0, false},
		{"run", "/runs/" + cancelled, 0, false}, {"company", "/runs/" + market, 0, false},
		{"connections", "/connections/shieling", 0, false}, {"tables", "/tables/fibre-tests", 0, false},
		{"front-door", "/talk/front-door", 0, false}, {"agent", "/agents/depot-desk", 0, false},
		{"run-dark", "/runs/" + cancelled, 0, true}, {"review", "/reviews", 1, false}}, nil
}

func run(ready, out, only string, person int, width, height int64, dark bool) error {
	ctx, cancel := context.WithTimeout(context.Background(), 90*time.Second)
	defer cancel()
	var d demo
	var shots []shot
	if ready == "" {
		stop, err := start(&d)
		if err != nil {
			return err
		}
		defer stop()
		if shots, err = walk(ctx, d); err != nil {
			return err
		}
	} else if err := read(ready, &d); err != nil {
		return fmt.Errorf("start a demo first, with -ready-file: %w", err)
	}
	for _, pair := range strings.Split(only, ",") {
		if name, path, ok := strings.Cut(pair, "="); ok {
			shots = append(shots, shot{name, path, person, dark})
		}
	}
	page, end, err := browser.Open(ctx)
	if err != nil {
		return err
	}
	defer end()
	signedIn := -1
	for _, s := range shots {
		who := d.People[s.person]
		if err := chromedp.Do(page, browser.Look(width, height, s.dark)); err != nil {
			return err
		}
		if s.person != signedIn && s.path != "/signin" {
			if err := chromedp.Do(page, browser.SignIn(d.URL, who.Email, who.Password)); err != nil {
				return err
			}
			// The browser goes on with the conversation the walk had.
			if _, err := chromedp.Run(page,
				chromedp.Evaluate[bool](
					`localStorage.setItem('woolsignal-thread-depot-slots', 'c-pictures'); true`)); err != nil {
				return err
			}
			signedIn = s.person
		}
		if err := chromedp.Do(page, chromedp.Navigate(d.URL+s.path),
			chromedp.WaitReady(chromedp.CSS("#root > *"))); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := loaded(page); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if strings.HasPrefix(s.path, "/talk/") {
			if err := chromedp.Do(page, browser.HasText("What is it about?"),
				chromedp.Sleep(300*time.Millisecond)); err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		for _, act := range acts[s.name] {
			if err := chromedp.Do(page, act); err != nil {
				return fmt.Errorf("%s: %w", s.name, err)
			}
		}
		picture, err := chromedp.Run(page, chromedp.CaptureScreenshot())
		if err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
		}
		if err := os.WriteFile(filepath.Join(out, s.name+".png"), picture, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// acts are what is done on a page before its picture is taken.
var acts = map[string][]browser.Step{"agent": {
	hand.Click("textbox", "Message"), hand.Type("Can I bring 30 fleeces from Hollin Bank on Thursday morning?"),
	hand.Press("Enter"), browser.HasText("You are booked"), browser.HasText("what the model has read"),
	chromedp.Sleep(500 * time.Millisecond)}, "build": {
	hand.Click("button", "Run"), browser.Sees("link", "Open the run"), hand.Click("group", "Work out net"),
	hand.Press("Escape"), hand.Click("button", "Change shrinkage of net is more than 8"),
	browser.HasText("of the last"),
	chromedp.Sleep(300 * time.Millisecond)}}

var hand = &browser.Hand{}

// loaded waits until a page has asked for nothing more for a while: one answer
// may lead to another question.
func loaded(page context.Context) error {
	const quiet, rounds = 400 * time.Millisecond, 50
	const same = `(() => { const n = performance.getEntriesByType('resource').length
		const was = window.woolsignalAsked; window.woolsignalAsked = n; return was === n })()`
	still := 0
	for range rounds {
		if err := chromedp.Do(page, chromedp.Sleep(quiet)); err != nil {
			return err
		}
		done, err := chromedp.Run(page, chromedp.Evaluate[bool](same))
		if err != nil {
			return err
		}
		if still++; !done {
			still = 0
		}
		if still == 2 {
			return nil
		}
	}
	return errors.New("the page never comes to rest")
}
