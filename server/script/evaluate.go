package script

import (
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/dop251/goja"
)

// evaluate runs one script in a runtime of its own: a function whose
// parameters are the inputs.
func evaluate(c call, within time.Duration) (json.RawMessage, error) {
	vm := goja.New()
	vm.SetMaxCallStackSize(2000)
	names := slices.Sorted(maps.Keys(c.Inputs))
	program, err := goja.Compile("script", "(function("+strings.Join(names, ",")+") { 'use strict';\n"+c.Code+"\n})",
		true)
	if err != nil {
		return nil, errors.New(explain(err))
	}
	timer := time.AfterFunc(within, func() { vm.Interrupt("time") })
	defer timer.Stop()
	made, err := vm.RunProgram(program)
	if err != nil {
		return nil, errors.New(explain(err))
	}
	function, _ := goja.AssertFunction(made)
	args := make([]goja.Value, len(names))
	for i, name := range names {
		text, err := json.Marshal(c.Inputs[name])
		if err != nil {
			return nil, err
		}
		parse, _ := goja.AssertFunction(vm.Get("JSON").ToObject(vm).Get("parse"))
		if args[i], err = parse(goja.Undefined(), vm.ToValue(string(text))); err != nil {
			return nil, errors.New(explain(err))
		}
	}
	stringify, _ := goja.AssertFunction(vm.Get("JSON").ToObject(vm).Get("stringify"))
	result, err := function(goja.Undefined(), args...)
	if err != nil {
		return nil, errors.New(explain(err))
	}
	if _, promised := result.Export().(*goja.Promise); promised {
		return nil, errors.New("the script gives a promise; it has nothing to wait for, so give the value itself")
	}
	text, err := stringify(goja.Undefined(), result)
	if err != nil {
		return nil, errors.New("the result cannot be written as JSON: " + explain(err))
	}
	if goja.IsUndefined(text) {
		return nil, errors.New("the script gives nothing; end it with return and a value")
	}
	return json.RawMessage(text.String()), nil
}

// explain says what a script did wrong, with the line in its own text.
func explain(err error) string {
	var thrown *goja.Exception
	var interrupted *goja.InterruptedError
	var syntax *goja.CompilerSyntaxError
	var deep *goja.StackOverflowError
	switch {
	case errors.As(err, &interrupted):
		return "the script took too long and was ended"
	case errors.As(err, &deep):
		return "the script calls itself too deeply"
	case errors.As(err, &syntax):
		return ownLines(syntax.Message)
	case errors.As(err, &thrown):
		line := ""
		for _, frame := range thrown.Stack() {
			if at := frame.Position(); at.Filename == "script" && at.Line > 1 {
				line = fmt.Sprintf("line %d of the script: ", at.Line-1)
				break
			}
		}
		return line + thrown.Value().String()
	}
	return err.Error()
}

var parserLine = regexp.MustCompile(`^.*Line (\d+):\d+ `)

// ownLines turns the parser's place into a line of the author's text, which
// stands one line further down in what is parsed.
func ownLines(message string) string {
	m := parserLine.FindStringSubmatch(message)
	if m == nil {
		return message
	}
	line, _ := strconv.Atoi(m[1])
	return fmt.Sprintf("line %d of the script: %s", max(line-1, 1), strings.TrimPrefix(message, m[0]))
}
