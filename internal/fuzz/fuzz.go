// Package fuzz has what the fuzz targets of all packages share.
package fuzz

import (
	"fmt"
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
