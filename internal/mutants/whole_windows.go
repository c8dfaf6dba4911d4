package main

import "os/exec"

// endsWhole does nothing more: mutants are tried where there is a shell.
func endsWhole(*exec.Cmd) {}
