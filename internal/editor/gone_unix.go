//go:build unix

package editor

import (
	"errors"
	"syscall"
)

// gone reports whether there is no such process any longer.
func gone(process int) bool { return errors.Is(syscall.Kill(process, 0), syscall.ESRCH) }
