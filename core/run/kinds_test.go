package run_test

// The kinds of steps, triggers and protocols the tests write.
import (
	_ "woolsignal/core/protocol"
	_ "woolsignal/core/step"
)
