package cloud

import (
	"os/exec"
	"syscall"
)

// apart has an interruption from the keyboard reach only this program, which ends its driver itself once nothing is under way.
func apart(cmd *exec.Cmd) {
	cmd.SysProcAttr = &syscall.SysProcAttr{CreationFlags: syscall.CREATE_NEW_PROCESS_GROUP}
}
