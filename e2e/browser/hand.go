package browser

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/chromedp/cdproto/accessibility"
	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// Hand uses a page as a person does: it finds things by their roles and names,
// as assistive technology reads them out, and counts what it does.
type Hand struct {
	Acts     int
	Keyboard bool // it has no mouse
}

// patience is how long something is looked for: many tests share the machine.
const patience = 40 * time.Second

// Click clicks on the first thing of a role whose name begins with some words;
// without a mouse it goes there by keys.
func (h *Hand) Click(role, name string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error {
		if h.Keyboard {
			return reach(ctx, t, role, name)
		}
		for range mostMisses {
			at, err := await(ctx, t, role, name)
			if err != nil {
				return err
			}
			if hit, err := clickAt(ctx, t, at); hit || err != nil {
				return err
			}
		}
		return fmt.Errorf("%s %q moved away %d times as it was clicked on", role, name, mostMisses)
	})
}

// Type types words where the focus is: one act.
func (h *Hand) Type(words string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error {
		for _, r := range words {
			if _, err := chromedp.KeyEvent(string(r))(ctx, t); err != nil {
				return err
			}
		}
		return nil
	})
}

// Paste puts words where the focus is, as a paste or an input method does: one act.
func (h *Hand) Paste(words string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, input.InsertText, input.InsertTextParams{Text: words})
		return err
	})
}

// PasteLines pastes several lines where the focus is, as they come from a sheet.
func (h *Hand) PasteLines(lines ...string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error {
		_, err := chromedp.Evaluate[bool](fmt.Sprintf(`(() => {
			const data = new DataTransfer()
			data.setData('text/plain', %q)
			return document.activeElement.dispatchEvent(
				new ClipboardEvent('paste', { clipboardData: data, bubbles: true, cancelable: true }))
		})()`, strings.Join(lines, "\n")))(ctx, t)
		return err
	})
}

// Press presses one key, such as Enter, or several at once, such as
// Alt+ArrowDown.
func (h *Hand) Press(keys string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error { return press(ctx, t, keys) })
}

// Drag takes the first thing by the mouse and lets go of it over the second, a
// little above its lower edge.
func (h *Hand) Drag(role, name, overRole, overName string) Step {
	return h.counted(func(ctx context.Context, t *chromedp.Target) error {
		from, err := await(ctx, t, role, name)
		if err != nil {
			return err
		}
		to, err := await(ctx, t, overRole, overName)
		if err != nil {
			return err
		}
		return drag(ctx, t, from, to)
	})
}

// Sees waits until there is something of a role whose name begins with some
// words. Looking is no act.
func Sees(role, name string) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		_, err := await(ctx, t, role, name)
		return chromedp.Void{}, err
	}
}

func (h *Hand) counted(do func(context.Context, *chromedp.Target) error) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		h.Acts++
		return chromedp.Void{}, do(ctx, t)
	}
}

// await finds a thing, once it is there and stands still.
func await(ctx context.Context, t *chromedp.Target, role, name string) (box, error) {
	end := time.Now().Add(patience)
	var before box
	for {
		at, seen, err := find(ctx, t, role, name)
		if err == nil && at == before { // it no longer moves
			return at, nil
		} else if err == nil {
			before = at
		}
		if err != nil && (ctx.Err() != nil || time.Now().After(end)) {
			return box{}, fmt.Errorf("no %s is called %q: %w; there are: %s", role, name, err, strings.Join(seen,
				" · "))
		}
		news := aChange
		if err == nil {
			news = twoFrames
		}
		if _, err := news(ctx, t); err != nil && ctx.Err() == nil && !leftPage(err) {
			return box{}, err
		}
	}
}

// aChange waits till the page changes. What is not in the page, such as a frame's
// content or a style, may change without that: so it ends after a while in any case.
var aChange = chromedp.Evaluate[bool](`new Promise(done => {
	const change = new MutationObserver(() => end())
	const limit = setTimeout(() => end(), 200)
	const end = () => { change.disconnect(); clearTimeout(limit); done(true) }
	change.observe(document, { childList: true, subtree: true, attributes: true, characterData: true })
})`, chromedp.EvalAwaitPromise)

// twoFrames waits till the page was drawn twice: what moves has moved on by then.
var twoFrames = chromedp.Evaluate[bool](`new Promise(done =>
	requestAnimationFrame(() => requestAnimationFrame(() => done(true))))`, chromedp.EvalAwaitPromise)

// box is where a thing stands in the window.
type box struct {
	left, top, right, bottom float64
	node                     cdp.BackendNodeID
}

func (b box) middle() (x, y float64) { return (b.left + b.right) / 2, (b.top + b.bottom) / 2 }

// wide is how wide a thing is that is pressed at its beginning rather than in its
// middle, where something else may stand.
const wide = 300

// press is where a thing is pressed.
func (b box) press() (x, y float64) {
	x, y = b.middle()
	if b.right-b.left > wide {
		x, y = b.left+20, min(y, b.top+14)
	}
	return x, y
}

var errNotShown = errors.New("nothing of the name is shown")

// find finds a thing that is shown, and tells the names of all of its role.
func find(ctx context.Context, t *chromedp.Target, role, name string) (at box, seen []string, err error) {
	nodes, seen, err := ofName(ctx, t, role, name)
	if err != nil {
		return at, seen, err
	}
	for _, id := range nodes {
		if at, err = shown(ctx, t, id); err == nil {
			return at, seen, nil
		}
	}
	return at, seen, errNotShown
}

// ofName lists the things of a role by their name: those of just that name first,
// then those whose names go on.
func ofName(ctx context.Context, t *chromedp.Target, role, name string) (nodes []cdp.BackendNodeID, seen []string,
	err error) {
	root, err := cdp.Call(ctx, t, dom.GetDocument, dom.GetDocumentParams{})
	if err != nil {
		return nil, nil, err
	}
	all, err := cdp.Call(ctx, t, accessibility.QueryAXTree,
		accessibility.QueryAXTreeParams{NodeID: root.Root.NodeID, Role: role})
	if err != nil {
		return nil, nil, err
	}
	var whole, begun []cdp.BackendNodeID
	for _, n := range all.Nodes {
		if n.Ignored || n.Name == nil || disabled(n) {
			continue
		}
		var called string
		if err := json.Unmarshal(n.Name.Value, &called); err != nil {
			return nil, seen, err
		}
		seen = append(seen, called)
		if called = strings.TrimSpace(called); called == name {
			whole = append(whole, n.BackendDOMNodeID)
		} else if strings.HasPrefix(called, name) {
			begun = append(begun, n.BackendDOMNodeID)
		}
	}
	return append(whole, begun...), seen, nil
}

// disabled tells what cannot be used yet: whoever looks waits for it.
func disabled(n *accessibility.Node) bool {
	return slices.ContainsFunc(n.Properties, func(p *accessibility.Property) bool {
		return p.Name == accessibility.PropertyNameDisabled && string(p.Value.Value) == "true"
	})
}

// shown scrolls a thing into view and tells where it is.
func shown(ctx context.Context, t *chromedp.Target, id cdp.BackendNodeID) (box, error) {
	if _, err := cdp.Call(ctx, t, dom.ScrollIntoViewIfNeeded,
		dom.ScrollIntoViewIfNeededParams{BackendNodeID: id}); err != nil {
		return box{}, err
	}
	quads, err := cdp.Call(ctx, t, dom.GetContentQuads, dom.GetContentQuadsParams{BackendNodeID: id})
	if err != nil {
		return box{}, err
	}
	if len(quads.Quads) == 0 {
		return box{}, errNotShown
	}
	q := quads.Quads[0]
	return box{q[0], q[1], q[4], q[5], id}, nil
}

func drag(ctx context.Context, t *chromedp.Target, from, to box) error {
	x, y := from.middle()
	over, below := (to.left+to.right)/2, to.bottom-3
	path := []input.DispatchMouseEventParams{
		{Type: input.DispatchMouseEventTypeMouseMoved, X: x, Y: y},
		{Type: input.DispatchMouseEventTypeMousePressed, X: x, Y: y, ClickCount: 1},
	}
	for i := 1.0; i <= 6; i++ {
		path = append(path, input.DispatchMouseEventParams{Type: input.DispatchMouseEventTypeMouseMoved, Buttons: 1,
			X: x + (over-x)*i/6, Y: y + (below-y)*i/6})
	}
	path = append(path, path[len(path)-1], input.DispatchMouseEventParams{X: over, Y: below, ClickCount: 1,
		Type: input.DispatchMouseEventTypeMouseReleased})
	for _, p := range path {
		p.Button = input.MouseButtonLeft
		time.Sleep(20 * time.Millisecond) // as fast as a hand is; what it is over is told what comes
		if _, err := cdp.Call(ctx, t, input.DispatchMouseEvent, p); err != nil {
			return err
		}
	}
	return nil
}

// Offline takes a page off the network, or brings it back.
func Offline(gone bool) Step {
	return func(ctx context.Context, t *chromedp.Target) (chromedp.Void, error) {
		all := &network.Conditions{Offline: gone, DownloadThroughput: -1, UploadThroughput: -1}
		p := network.EmulateNetworkConditionsByRuleParams{MatchedNetworkConditions: []*network.Conditions{all}}
		_, err := cdp.Call(ctx, t, network.EmulateNetworkConditionsByRule, p)
		return chromedp.Void{}, err
	}
}
