//go:build !linux

package rehearse

import (
	"errors"

	"wendrik/internal/core/estate"
)

var errLinux = errors.New("a rehearsal needs the Linux kernel: run this command there")

// IsWorker, Work, Run, Steps, Again, Down and In need Linux.
func IsWorker() bool { return false }
func Work() int      { return 1 }
func Run(*estate.Estate, Options, bool, func(string, int, int)) (*Result, error) {
	return nil, errLinux
}
func Again(*estate.Estate, func(string, int, int)) (*Result, error) { return nil, errLinux }
func Down() (bool, error)                                           { return false, errLinux }
func In(string, []string) (int, error)                              { return 0, errLinux }
func Steps(*estate.Estate, []State, Options, func(string, int, int)) (*Result, error) {
	return nil, errLinux
}
