package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"strings"
)

// login prints a token rather than keeping it: where secrets are kept is for
// whoever runs the command to say.
func login(ctx context.Context, a *app, args []string) error {
	f := a.flags("login")
	asJSON := f.Bool("json", false, "print JSON")
	rest, err := parse(f, args, 1, 1)
	if err != nil {
		return err
	}
	password, err := a.readSecret("Password of " + rest[0])
	if err != nil {
		return err
	}
	token, err := a.client().NewToken(ctx, rest[0], password)
	if err != nil {
		return err
	}
	if *asJSON {
		return a.printJSON(token)
	}
	fmt.Fprintf(a.out, "export WOOLSIGNAL_TOKEN=%s   # %s, %s\n", token.Token, token.Person.Name, token.Person.Role)
	return nil
}

// readSecret asks for one line on standard input.
func (a *app) readSecret(what string) (string, error) {
	fmt.Fprintf(a.errs, "%s, then Enter: ", what)
	if a.lines == nil {
		a.lines = bufio.NewReader(a.in) // one for all that is asked, as it reads ahead
	}
	line, err := a.lines.ReadString('\n')
	if secret := strings.TrimRight(line, "\r\n"); secret != "" {
		return secret, nil
	}
	return "", errors.Join(errors.New("nothing was given"), err)
}
