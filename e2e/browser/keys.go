package browser

import (
	"context"
	"fmt"
	"strings"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
)

// modifiers are the keys that are held, as the browser's protocol has them.
var modifiers = map[string]int64{"Alt": 1, "Control": 2, "Meta": 4, "Shift": 8}

// named are the keys that write nothing, with their Windows codes.
var named = map[string]int64{"Enter": 13, "Escape": 27, "Tab": 9, "Delete": 46, "Backspace": 8, "ArrowUp": 38,
	"ArrowDown": 40, "ArrowLeft": 37, "ArrowRight": 39, "Home": 36, "End": 35, "F10": 121, "Space": 32}

// press presses a key with those that are held: Control+z, Alt+ArrowUp.
func press(ctx context.Context, t *chromedp.Target, keys string) error {
	parts := strings.Split(keys, "+")
	p := input.DispatchKeyEventParams{Key: parts[len(parts)-1]}
	for _, held := range parts[:len(parts)-1] {
		m, known := modifiers[held]
		if !known {
			return fmt.Errorf("no key called %s is held", held)
		}
		p.Modifiers |= m
	}
	code, known := named[p.Key]
	switch {
	case known:
		p.Code, p.WindowsVirtualKeyCode = p.Key, code
	case len(p.Key) == 1:
		p.WindowsVirtualKeyCode = int64(strings.ToUpper(p.Key)[0])
		p.Code = "Key" + strings.ToUpper(p.Key)
	default:
		return fmt.Errorf("no key is called %s", p.Key)
	}
	if p.Key == "Space" {
		p.Key = " "
	}
	text := map[string]string{"Enter": "\r", " ": " "}[p.Key]
	if len(p.Key) == 1 && p.Modifiers&^modifiers["Shift"] == 0 {
		text = p.Key
	}
	if p.Modifiers == modifiers["Control"] {
		p.Commands = map[string][]string{"a": {"selectAll"}, "c": {"copy"}, "x": {"cut"}, "v": {"paste"}}[p.Key]
	}
	p.Type, p.Text = input.DispatchKeyEventTypeRawKeyDown, text
	if text != "" {
		p.Type = input.DispatchKeyEventTypeKeyDown
	}
	if _, err := cdp.Call(ctx, t, input.DispatchKeyEvent, p); err != nil {
		return err
	}
	p.Type, p.Text, p.Commands = input.DispatchKeyEventTypeKeyUp, "", nil
	_, err := cdp.Call(ctx, t, input.DispatchKeyEvent, p)
	return err
}
