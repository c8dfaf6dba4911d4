//go:build !windows

package cli_test

import (
	"bufio"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// An interruption from the keyboard reaches all that the shell started; the driver answers on until what is under way has come to its end.
func TestInterruptionReachesNoDriver(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, quayside)
	c := cloudIn(t, folder, "-delay", "100ms")
	apart := filepath.Join(t.TempDir(), "a folder", "wendrik")
	require.NoError(t, os.Mkdir(filepath.Dir(apart), 0o755))
	require.NoError(t, os.Symlink(program, apart))
	interrupted := func(behind string, args ...string) (int, string) { // once a line says so
		cmd := exec.Command(program, args...)
		cmd.Dir, cmd.SysProcAttr = folder, &syscall.SysProcAttr{Setpgid: true}
		out, in, err := os.Pipe()
		require.NoError(t, err)
		cmd.Stdout, cmd.Stderr = in, in
		require.NoError(t, cmd.Start())
		in.Close()
		said := ""
		for lines := bufio.NewScanner(out); lines.Scan(); {
			if said += lines.Text() + "\n"; strings.Contains(lines.Text(), behind) && !strings.Contains(said, "interrupting") {
				said += "interrupting\n"
				require.NoError(t, syscall.Kill(-cmd.Process.Pid, syscall.SIGINT))
			}
		}
		_ = cmd.Wait()
		return cmd.ProcessState.ExitCode(), said
	}
	driver := fmt.Sprintf("%q driver -at %s", apart, c.url)
	status, said := interrupted("table booking/main", "build", "-at", driver, "-side", "2")
	assert.Equal(t, 2, status, said)
	assert.Contains(t, said, "stopped")
	assert.NotContains(t, said, "not done:", said)
	assert.Equal(t, 0, run(t, folder, "", "build", "-at", driver).status)
	holds(t, c, folder, quaysideThings)
	assert.Equal(t, 0, run(t, folder, "", "build", "-at", driver, "-down", "-yes").status)

	status, said = interrupted("is ready", "driver", "-try", driver)
	assert.Equal(t, 2, status, said)
	assert.Contains(t, said, "it was interrupted; what it made is removed", said)
	assert.Zero(t, things(t, c, folder))
	r := run(t, folder, "", "drift", "-at", `wendrik "driver`)
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "a quote is not ended")
}
