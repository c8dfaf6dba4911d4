package cli_test

import (
	"fmt"
	"io"
	"os"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	pretty "github.com/jedib0t/go-pretty/v6/text"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// terminal makes a terminal of a width: what is written to one end comes out of the other.
func terminal(t *testing.T, width uint16) (screen, reader *os.File) {
	t.Helper()
	reader, err := os.OpenFile("/dev/ptmx", os.O_RDWR, 0)
	require.NoError(t, err)
	fd := int(reader.Fd())
	require.NoError(t, unix.IoctlSetPointerInt(fd, unix.TIOCSPTLCK, 0))
	number, err := unix.IoctlGetInt(fd, unix.TIOCGPTN)
	require.NoError(t, err)
	screen, err = os.OpenFile(fmt.Sprintf("/dev/pts/%d", number), os.O_RDWR|unix.O_NOCTTY, 0)
	require.NoError(t, err)
	require.NoError(t, unix.IoctlSetWinsize(int(screen.Fd()), unix.TIOCSWINSZ, &unix.Winsize{Row: 40, Col: width}))
	return screen, reader
}

var escapes = regexp.MustCompile("\x1b\\[[0-9;?]*[A-Za-z]")

// TestNarrowTerminals: no line is wider than the terminal, from 60 columns on, and no result is left out for that.
func TestNarrowTerminals(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for _, line := range []string{
		"help", "help overlaps", "block 10.144.0.0/20", "space", "carve", "carve -why", "overlaps", "overlaps -list inventory.csv -columns range=cidr", "show booking", "show fare-db",
		"reach ticket-1 fare-db -on tcp/5432", "reach booking/app internet", "grid", "grid -to internet -all", "check", "check -rules", "carve -nope", "show nobody-of-that-name",
	} {
		for _, width := range []int{60, 77} {
			screen, reader := terminal(t, uint16(width))
			c := exec.Command(program, strings.Fields(line)...)
			c.Dir, c.Stdout, c.Stderr = folder, screen, screen
			require.NoError(t, c.Start())
			screen.Close()
			raw, _ := io.ReadAll(reader) // it ends with an error when the last writer is gone
			_ = c.Wait()
			reader.Close()
			said := escapes.ReplaceAllString(strings.ReplaceAll(string(raw), "\r", ""), "")
			require.NotEmpty(t, said, line)
			for row := range strings.Lines(said) {
				row = strings.TrimSuffix(row, "\n")
				assert.LessOrEqual(t, pretty.StringWidth(row), width, "%s: %s", line, row)
			}
			if line == "grid" || line == "check" || strings.HasPrefix(line, "reach") {
				continue // a smaller table was chosen, or the lines of the plan are cut
			}
			plain := run(t, folder, "", strings.Fields(line)...)
			for _, word := range strings.Fields(plain.out) {
				if len(word) > 5 && !strings.ContainsAny(word, "·░▒▓█…") { // but for maps, which are drawn smaller
					assert.Contains(t, strings.Join(strings.Fields(said), " "), word, "%s at %d columns", line, width)
				}
			}
		}
	}
}
