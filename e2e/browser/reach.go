package browser

import (
	"context"
	"fmt"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// mostKeys is how many keys are pressed to reach something; after so many it is
// looked for again, as a page changes meanwhile.
const (
	mostKeys  = 300
	lookAgain = 20
)

// reach goes to a thing by the keyboard alone and uses it, as somebody does who
// has no mouse: with Tab, and with the arrows among the lines of a script and in
// menus.
func reach(ctx context.Context, t *chromedp.Target, role, name string) error {
	if _, err := await(ctx, t, role, name); err != nil {
		return err
	}
	key := map[string]string{"menuitem": "ArrowDown", "option": "ArrowDown", "group": "ArrowDown"}[role]
	if key == "" {
		key = "Tab"
	}
	if role == "group" {
		if err := toScript(ctx, t); err != nil {
			return err
		}
	}
	var wanted []cdp.BackendNodeID
	for n := range mostKeys {
		if n%lookAgain == 0 {
			var err error
			if wanted, _, err = ofName(ctx, t, role, name); err != nil {
				return err
			}
		}
		there, err := focused(ctx, t)
		if err != nil {
			return err
		}
		if len(wanted) > 0 && there == wanted[0] {
			return use(ctx, t, role)
		}
		if err := press(ctx, t, key); err != nil {
			return err
		}
	}
	at, _ := chromedp.Evaluate[string](`document.activeElement.outerHTML.slice(0, 300)`)(ctx, t)
	return fmt.Errorf("%s %q is not reached by the keyboard; the focus is on %s", role, name, at)
}

// toScript goes to the script's lines, of which one is in the order of Tab, and
// there to the first.
func toScript(ctx context.Context, t *chromedp.Target) error {
	for range mostKeys {
		on, err := chromedp.Evaluate[bool](`document.activeElement.dataset.line !== undefined`)(ctx, t)
		if err != nil {
			return err
		}
		if !on {
			if err := press(ctx, t, "Tab"); err != nil {
				return err
			}
			continue
		}
		for range 60 {
			if err := press(ctx, t, "ArrowUp"); err != nil {
				return err
			}
		}
		return nil
	}
	return fmt.Errorf("the script's lines are not reached by the keyboard")
}

// use presses the key that uses what is focused; fields are only reached.
func use(ctx context.Context, t *chromedp.Target, role string) error {
	switch role {
	case "button", "link", "group", "menuitem", "tab":
		return press(ctx, t, "Enter")
	case "checkbox", "radio":
		return press(ctx, t, "Space")
	}
	return nil
}

// focused is what the focus is on; 0 is nothing.
func focused(ctx context.Context, t *chromedp.Target) (cdp.BackendNodeID, error) {
	active, err := cdp.Call(ctx, t, runtime.Evaluate, runtime.EvaluateParams{Expression: "document.activeElement"})
	if err != nil || active.Result.ObjectID == "" {
		return 0, err
	}
	node, err := cdp.Call(ctx, t, dom.DescribeNode, dom.DescribeNodeParams{ObjectID: active.Result.ObjectID})
	if err != nil {
		return 0, err
	}
	return node.Node.BackendNodeID, nil
}
