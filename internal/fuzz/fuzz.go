// Package fuzz has what the fuzz targets and the random tests of all packages share.
package fuzz

import (
	"fmt"
	"os"
	"time"
)

// MaxText is the size in bytes of the largest text that a target takes: what is slow is so for small ones, too.
const MaxText = 1 << 16

// limit is how long one input may take, on any machine.
const limit = 10 * time.Second

// Bound ends the program when what is done until stop is called takes too long, so that a slow input is a finding that
// is kept, and not a worker that hangs.
func Bound() (stop func()) {
	slow := time.AfterFunc(limit, func() { panic(fmt.Sprintf("one input takes longer than %s", limit)) })
	return func() { slow.Stop() }
}

// Long is set where tests on random data are to run at length, as CI does.
const Long = "WENDRIK_TEST_LONG"

// Rounds is how many rounds a test on random data runs: few of them, and many where Long is set.
func Rounds(few, many uint64) uint64 {
	if os.Getenv(Long) != "" {
		return many
	}
	return few
}
