package flow_test

import _ "woolsignal/core/step" // the kinds of steps the tests write
