// Package script runs the small scripts of workflows, each call in a fresh
// runtime, in confined processes.
package script

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"time"

	"woolsignal/core/expr"
	"woolsignal/server/confined"
)

// Runner runs scripts in the processes of a pool.
type Runner struct{ Pool *confined.Pool }

// work is the name scripts are known by among confined work.
const work = "script"

func init() {
	confined.Register(work, func(within time.Duration, in json.RawMessage) (any, error) {
		var c call
		if err := json.Unmarshal(in, &c); err != nil {
			return nil, err
		}
		return evaluate(c, within)
	})
}

// call is one script with its values.
type call struct {
	Code   string         `json:"code"`
	Inputs map[string]any `json:"inputs"`
}

// longestResult bounds what a script gives, in bytes.
const longestResult = 8 << 20

// Run runs a script on values and gives its value. Errors are written for the
// author of the script.
func (r *Runner) Run(ctx context.Context, code string, inputs map[string]any, within time.Duration) (any, error) {
	var result json.RawMessage
	err := r.Pool.Do(ctx, work, within, call{code, inputs}, &result)
	switch {
	case errors.Is(err, confined.ErrBroke):
		_, why, _ := strings.Cut(err.Error(), ": ")
		return nil, fmt.Errorf("the script was ended: %s", why)
	case err != nil:
		return nil, err
	case len(result) > longestResult:
		return nil, fmt.Errorf("the script's result is larger than %d MB", longestResult>>20)
	}
	return expr.DecodeJSON(result)
}
