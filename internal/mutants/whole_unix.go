//go:build !windows

package main

import (
	"os/exec"
	"syscall"
)

// endsWhole has the end of a command end what it has started too.
func endsWhole(c *exec.Cmd) {
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGKILL) }
}
