// Command screenshots takes pictures of a running demo's console, for the
// README and for looking at what was made.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"woolsignal/e2e/browser"
)

func main() {
	ready := flag.String("ready", "", "ready file of a running demo")
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
	People []struct{ Email, Password string }
}

func run(ready, out, only string, person int, width, height int64, dark bool) error {
	data, err := os.ReadFile(ready)
	if err != nil {
		return fmt.Errorf("start a demo first, with -ready-file: %w", err)
	}
	var d demo
	if err := json.Unmarshal(data, &d); err != nil {
		return err
	}
	var shots []shot
	for _, pair := range strings.Split(only, ",") {
		if name, path, ok := strings.Cut(pair, "="); ok {
			shots = append(shots, shot{name, path, person, dark})
		}
	}
	ctx, cancel := context.WithTimeout(context.Background(), 40*time.Second)
	defer cancel()
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
			signedIn = s.person
		}
		if err := chromedp.Do(page, chromedp.Navigate(d.URL+s.path), chromedp.WaitReady(chromedp.CSS("#root > *")), chromedp.Sleep(900*time.Millisecond)); err != nil {
			return fmt.Errorf("%s: %w", s.name, err)
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
