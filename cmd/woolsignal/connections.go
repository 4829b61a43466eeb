package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"woolsignal/core/flow"
	"woolsignal/core/shape"
	"woolsignal/wire"
)

func connections(ctx context.Context, a *app, args []string) error {
	f := a.flags("connections")
	asJSON := f.Bool("json", false, "print JSON")
	test := f.Bool("test", false, "try them now, without changing anything")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	if len(rest) == 1 {
		return a.connection(ctx, rest[0], *test, *asJSON)
	}
	all, err := a.client().Connections(ctx)
	if err != nil {
		return err
	}
	broken := false
	if *test {
		for i := range all {
			v, err := a.client().TestConnection(ctx, all[i].ID)
			if err != nil {
				return err
			}
			all[i].Verdict, broken = &v, broken || !v.Fine
		}
	}
	if *asJSON {
		return a.printJSON(all)
	}
	rows := [][]string{{"CONNECTION", "TITLE", "KIND", "STATE", "LAST WORKED", "USED BY"}}
	for _, c := range all {
		worked := ""
		if c.Worked != nil {
			worked = when(*c.Worked)
		}
		rows = append(rows, []string{c.ID, c.Title, strings.ReplaceAll(c.Kind, "_", " "), oneLine(stateOf(c), 60),
			worked,
			oneLine(strings.Join(c.Used, ", "), 50)})
	}
	if err := a.table(rows); err != nil {
		return err
	}
	if broken {
		fmt.Fprintln(a.out, "\nRead one with its remedy: woolsignal connections CONNECTION")
		return errReported
	}
	return nil
}

// stateOf says in a few words how a connection fares.
func stateOf(c wire.Connection) string {
	switch {
	case c.SignIn != nil && c.SignIn.Grant == "authorization_code" && !c.SignIn.Signed:
		return "to be signed in to: woolsignal connect " + c.ID
	case c.Moved != "":
		return "leads elsewhere than its secret was given for: woolsignal connect " + c.ID
	case c.Needs && !c.Has:
		return "lacks its secret: woolsignal connect " + c.ID
	case c.Verdict != nil && !c.Verdict.Fine:
		return c.Verdict.Words
	case c.Problem != "":
		return "failed last: " + c.Problem
	case c.Verdict != nil:
		return "fine: " + c.Verdict.Words
	case c.Worked != nil:
		return "works"
	}
	return "not tried yet"
}

// connection prints one connection.
func (a *app) connection(ctx context.Context, id string, test, asJSON bool) error {
	var v wire.Verdict
	if test {
		var err error
		if v, err = a.client().TestConnection(ctx, id); err != nil {
			return err
		}
	}
	c, err := a.client().Connection(ctx, id)
	if err != nil {
		return err
	}
	if asJSON {
		return a.printJSON(c)
	}
	fmt.Fprintf(a.out, "%s (%s), %s\n", c.Title, c.ID, strings.ReplaceAll(c.Kind, "_", " "))
	line := func(name, text string) {
		if text != "" {
			indent(a.out, fmt.Sprintf("  %-13s", name), text)
		}
	}
	line("state", stateOf(c.Connection))
	if c.Verdict != nil {
		line("remedy", c.Verdict.Remedy)
	}
	line("address", c.Address)
	line("secret for", c.For)
	line("moved", c.Moved)
	line("acts as", map[string]string{"workspace": "the workspace itself", "builder": "the builder who signed in",
		"person": "the person who is served"}[c.Acts])
	at := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return when(*t)
	}
	line("tested", at(c.Tested))
	line("last worked", at(c.Worked))
	if s := c.SignIn; s != nil {
		line("redirect", s.Redirect+"   (write it down on the other side, to the letter)")
		line("expires", at(s.Expires))
		for _, scope := range s.Scopes {
			line("scope", scope.Name+": "+scope.Words)
		}
	}
	line("used by", strings.Join(c.Used, ", "))
	if len(c.Operations) > 0 {
		fmt.Fprintln(a.out)
		if err := a.toolTable(c.Operations); err != nil {
			return err
		}
	}
	if test && !v.Fine {
		return errReported
	}
	return nil
}

// maxSecret bounds a secret read from a file, in bytes.
const maxSecret = 64 << 10

func connect(ctx context.Context, a *app, args []string) error {
	f := a.flags("connect")
	from := f.String("secret-from", "-", "file that holds the secret; - reads it from standard input")
	ahead := f.String("for", "", "the origin it is for, such as https://models.example:8443, before it leads there")
	rotate := f.Bool("rotate-key", false, "make a new key, and seal every secret with it")
	rest, err := parse(f, args, 0, 1)
	if err != nil {
		return err
	}
	switch {
	case *rotate:
		n, err := a.client().RotateKey(ctx)
		if err == nil {
			fmt.Fprintf(a.out,
				"%d secrets are sealed with a new key. It stands in vault.key: back it up anew, apart from the "+
					"database.\n", n)
		}
		return err
	case len(rest) == 0:
		return fmt.Errorf("%w: name a connection", errMisuse)
	}
	c, err := a.client().Connection(ctx, rest[0])
	if err != nil {
		return err
	}
	if c.SignIn != nil && c.SignIn.Grant == "authorization_code" && *ahead == "" &&
		(c.Has || *from == "-" && !c.Needs) {
		at, err := a.client().SignInElsewhere(ctx, c.ID)
		if err == nil {
			fmt.Fprintf(a.out,
				"Open this within ten minutes, in a browser in which you are signed in to this service, and say yes "+
					"there:\n\n  %s\n\n"+
					"Redirect address, to be written down on the other side:  %s\n", at, c.SignIn.Redirect)
		}
		return err
	}
	secret, err := a.secretFrom(*from, c.ID)
	if err != nil {
		return err
	}
	v, err := a.client().PutSecretFor(ctx, c.ID, *ahead, strings.TrimSpace(secret))
	if err != nil {
		return err
	}
	if *ahead != "" {
		fmt.Fprintf(a.out, "It is %s. It is never shown again.\n", v.Words)
		return nil
	}
	fmt.Fprintln(a.out, "Kept, sealed. It replaces any before it, everywhere it is used, and is never shown again.")
	if v.Fine {
		fmt.Fprintln(a.out, "Tested: "+v.Words)
		return nil
	}
	fmt.Fprintf(a.out, "Tested, and it does not work yet: %s\n%s\n", v.Words, v.Remedy)
	return errReported
}

// secretFrom reads a secret from a file, or asks for it.
func (a *app) secretFrom(from, connection string) (secret string, err error) {
	if from == "-" {
		secret, err = a.readSecret("Secret of " + connection)
	} else {
		var text []byte
		text, err = os.ReadFile(from)
		secret = string(text)
	}
	if err == nil && len(secret) > maxSecret {
		err = errors.New("this is too long for a secret")
	}
	return secret, err
}

func tools(ctx context.Context, a *app, args []string) error {
	f := a.flags("tools")
	asJSON := f.Bool("json", false, "print JSON")
	connection := f.String("connection", "", "only of this connection or table")
	list := f.String("list", "", "list the values this argument of the tool can be fixed to")
	limit := f.Int("limit", 50, "how many at most")
	rest, err := parse(f, args, 0, 20)
	if err != nil {
		return err
	}
	words := strings.Join(rest, " ")
	if *list != "" {
		found, err := a.client().Choices(ctx, words, *list)
		if err != nil {
			return err
		}
		if *asJSON {
			return a.printJSON(found)
		}
		rows := [][]string{{"VALUE", "WHAT IT IS"}}
		for _, c := range found {
			rows = append(rows, []string{c.Value, c.Words})
		}
		return a.table(rows)
	}
	found, err := a.client().Tools(ctx, words, *connection, *limit)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(found)
	}
	if i := slices.IndexFunc(found.Tools, func(t wire.ToolInfo) bool { return t.Name == words }); i >= 0 {
		return a.tool(found.Tools[i])
	}
	if len(found.Tools) == 0 {
		fmt.Fprintf(a.out, "None of %d tools has all of these words.\n", found.All)
		return nil
	}
	if err := a.toolTable(found.Tools); err != nil {
		return err
	}
	fmt.Fprintf(a.out, "\n%d of %d tools. Read one with: woolsignal tools NAME\n", len(found.Tools), found.All)
	return nil
}

func (a *app) toolTable(all []wire.ToolInfo) error {
	rows := [][]string{{"TOOL", "DOES", "SENT AGAIN", "WHAT"}}
	for _, t := range all {
		rows = append(rows, []string{t.Name, doesWords(t.Tool), resendWords(t.Resend), oneLine(t.Description, 70)})
	}
	return a.table(rows)
}

// doesWords says what a tool does to the world.
func doesWords(t flow.Tool) string {
	switch {
	case t.ReadOnly:
		return "reads"
	case t.Destructive:
		return "destroys"
	}
	return "changes"
}

// resendWords says what happens when a call is sent again.
func resendWords(r flow.Resend) string {
	return map[flow.Resend]string{flow.ResendSafe: "changes nothing more",
		flow.ResendKey: "the other side knows it by a key", flow.ResendOwnID: "the same thing, by our id",
		flow.ResendNever: "never; a person is asked"}[r]
}

// tool prints one tool with its arguments.
func (a *app) tool(t wire.ToolInfo) error {
	fmt.Fprintf(a.out, "%s  %s\n", t.Name, t.Title)
	indent(a.out, "  ", t.Description)
	fmt.Fprintf(a.out, "  It %s. Sent again: %s.\n\n", doesWords(t.Tool), resendWords(t.Resend))
	input := shape.Shape(t.Input)
	required, _ := t.Input["required"].([]any)
	properties, _ := t.Input["properties"].(map[string]any)
	rows := [][]string{{"ARGUMENT", "TYPE", "", "WHAT"}}
	for _, name := range input.Names() {
		p, _ := properties[name].(map[string]any)
		needed, description := "", ""
		if slices.Contains(required, any(name)) {
			needed = "needed"
		}
		if slices.Contains(t.Listed, name) {
			needed = strings.TrimSpace(needed + " listed: -list " + name)
		}
		description, _ = p["description"].(string)
		kind, _ := p["type"].(string)
		if choices, ok := p["enum"].([]any); ok {
			kind = "one of " + oneLine(value(choices), 40)
		}
		rows = append(rows, []string{name, kind, needed, oneLine(description, 70)})
	}
	if len(rows) > 1 {
		if err := a.table(rows); err != nil {
			return err
		}
	} else {
		fmt.Fprintln(a.out, "It takes no argument.")
	}
	fmt.Fprintln(a.out)
	return a.given(t.Output)
}

// given prints what a tool gives.
func (a *app) given(output map[string]any) error {
	if output == nil {
		fmt.Fprintln(a.out, "It does not say what it gives.")
		return nil
	}
	rows := [][]string{{"GIVES", "TYPE", "", "WHAT"}}
	for _, p := range shape.Shape(output).Contents() {
		sure := ""
		if !p.Sure {
			sure = "may be missing"
		}
		what := p.What
		if len(p.Choices) > 0 {
			what = strings.TrimSpace("one of " + strings.Join(p.Choices, ", ") + "; " + what)
		}
		rows = append(rows, []string{cmp.Or(p.Path, "all of it"), p.Kind, sure,
			oneLine(strings.TrimSuffix(what, ";"), 70)})
	}
	return a.table(rows)
}
