package browser

import (
	"context"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/dom"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
)

// mostMisses is how often a thing is clicked on that moves away just then.
const mostMisses = 5

// guard lets a click through to the thing it is meant for alone: where what came late
// has moved that away, before or between the press and the release, whoever uses a page
// sees so, and clicks again. What opens something else does so as it is pressed.
const guard = `function () {
	const kinds = ['pointerdown', 'mousedown', 'pointerup', 'mouseup', 'click']
	let missed, clicked
	const on = hit => this.contains(hit) || hit.closest?.('label')?.control === this
	const look = e => {
		missed ??= !on(e.target)
		if (e.type === 'click' && on(e.target)) clicked = true
		if (!missed) return
		e.preventDefault()
		e.stopImmediatePropagation()
	}
	kinds.forEach(k => window.addEventListener(k, look, true))
	window.clicked = () => {
		kinds.forEach(k => window.removeEventListener(k, look, true))
		const opens = this.hasAttribute('aria-haspopup') || this.hasAttribute('aria-expanded')
		return !missed && (clicked || opens || !this.isConnected)
	}
}`

// clickAt clicks on a thing where it was found, and tells whether it was hit.
func clickAt(ctx context.Context, t *chromedp.Target, at box) (hit bool, err error) {
	found, err := cdp.Call(ctx, t, dom.ResolveNode, dom.ResolveNodeParams{BackendNodeID: at.node})
	if err != nil {
		return false, nil // it is gone
	}
	if _, err := cdp.Call(ctx, t, runtime.CallFunctionOn, runtime.CallFunctionOnParams{
		FunctionDeclaration: guard, ObjectID: found.Object.ObjectID}); err != nil {
		return false, err
	}
	x, y := at.press()
	for _, kind := range []input.DispatchMouseEventType{input.DispatchMouseEventTypeMouseMoved,
		input.DispatchMouseEventTypeMousePressed, input.DispatchMouseEventTypeMouseReleased} {
		p := input.DispatchMouseEventParams{Type: kind, X: x, Y: y, Button: input.MouseButtonLeft, ClickCount: 1}
		if _, err := cdp.Call(ctx, t, input.DispatchMouseEvent, p); err != nil {
			return false, err
		}
	}
	hit, err = chromedp.Evaluate[bool](`window.clicked?.() ?? true`)(ctx, t)
	if err != nil && ctx.Err() == nil && leftPage(err) {
		return true, nil // it led to another page
	}
	return hit, err
}
