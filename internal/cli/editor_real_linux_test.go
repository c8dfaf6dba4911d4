package cli_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// A real editor, without a screen, through its own client: it sees the marks, types with what is offered, renames, and takes a fix; and what it saved
// is a plan of which check says less.
func TestEditorForReal(t *testing.T) {
	needs(t, "nvim")
	folder := demo(t)
	script, err := filepath.Abs("testdata/editor.lua")
	require.NoError(t, err)
	c := exec.Command("nvim", "--headless", "--clean", "-n", "-S", script)
	c.Dir, c.Env = folder, append(os.Environ(), "WENDRIK_PROGRAM="+program, "XDG_STATE_HOME="+t.TempDir(), "HOME="+t.TempDir())
	out, err := c.CombinedOutput()
	require.NoError(t, err, "%s", out)
	said := map[string]string{}
	for line := range strings.Lines(string(out)) {
		what, value, _ := strings.Cut(strings.TrimSpace(line), "\t")
		said[what] = value
	}
	assert.Equal(t, "33 subnet booking/app-c is left on the main table, and table private names every other subnet of tier app", said["marked"])
	assert.Equal(t, "shop fares", said["offered"])
	assert.Equal(t, "          - tcp/8443 from group shop", "          "+strings.TrimSpace(said["typed"]))
	assert.NotEmpty(t, said["renamed"])
	assert.Contains(t, said["fix"], "Add  app-c  to networks.booking.tables.private.subnets (opens ")
	assert.Empty(t, said["error"])
	after := read(t, folder)
	assert.Contains(t, after, "tcp/8080 from group till")
	assert.NotContains(t, after, "group shop")
	assert.Contains(t, after, "- tcp/8443 from group till")
	checked := run(t, folder, "", "check")
	assert.NotContains(t, checked.out, "left-on-main-table")
	assert.Contains(t, checked.out, "outgrown")
}
