package replace

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

func plan(t *testing.T, text string) string {
	t.Helper()
	name := filepath.Join(t.TempDir(), "wendrik.yaml")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o640))
	return name
}

func content(t *testing.T, name string) string {
	t.Helper()
	raw, err := os.ReadFile(name)
	require.NoError(t, err)
	return string(raw)
}

// alone asserts that nothing but the given files lies in the folder of a file.
func alone(t *testing.T, name string, others ...string) {
	t.Helper()
	all, err := os.ReadDir(filepath.Dir(name))
	require.NoError(t, err)
	var names []string
	for _, x := range all {
		names = append(names, x.Name())
	}
	assert.ElementsMatch(t, append(others, filepath.Base(name)), names)
}

func TestAllButTheTextStays(t *testing.T) {
	name := plan(t, "old")
	require.NoError(t, os.Chmod(name, 0o664))
	root := os.Getuid() == 0
	if root {
		require.NoError(t, os.Chown(name, 4711, 4712))
	}
	tagged := unix.Setxattr(name, "user.reviewed", []byte("yes"), 0) == nil
	link := filepath.Join(filepath.Dir(name), "link.yaml")
	require.NoError(t, os.Symlink("wendrik.yaml", link))

	linked, err := File(link, "old", "new")
	require.NoError(t, err)
	assert.False(t, linked)
	assert.Equal(t, "new", content(t, name))
	info, err := os.Lstat(link)
	require.NoError(t, err)
	assert.NotZero(t, info.Mode()&os.ModeSymlink, "the link stays one")
	var stat unix.Stat_t
	require.NoError(t, unix.Stat(name, &stat))
	assert.Equal(t, uint32(0o664), stat.Mode&0o7777)
	if root {
		assert.Equal(t, []uint32{4711, 4712}, []uint32{stat.Uid, stat.Gid})
	}
	if tagged {
		value := make([]byte, 9)
		n, err := unix.Getxattr(name, "user.reviewed", value)
		require.NoError(t, err)
		assert.Equal(t, "yes", string(value[:n]))
	}
	alone(t, name, "link.yaml")
}

func TestWhatIsNotWritten(t *testing.T) {
	name := plan(t, "theirs")
	_, err := File(name, "mine", "new")
	assert.ErrorIs(t, err, ErrChanged)
	require.NoError(t, os.Chmod(name, 0o444))
	_, err = File(name, "theirs", "new")
	assert.ErrorIs(t, err, ErrReadOnly)
	assert.Equal(t, "theirs", content(t, name))
	alone(t, name)

	fifo := filepath.Join(t.TempDir(), "pipe")
	require.NoError(t, unix.Mkfifo(fifo, 0o600))
	_, err = File(fifo, "", "new")
	assert.ErrorIs(t, err, ErrNotFile)
	_, err = File(filepath.Dir(fifo), "", "new")
	assert.ErrorIs(t, err, ErrNotFile)

	name = plan(t, "old")
	require.NoError(t, os.Link(name, filepath.Join(filepath.Dir(name), "twin")))
	linked, err := File(name, "old", "new")
	assert.NoError(t, err)
	assert.True(t, linked)
}

// TestSaveAtTheLastMoment has somebody save between the last look and the exchange.
func TestSaveAtTheLastMoment(t *testing.T) {
	name := plan(t, "theirs")
	require.NoError(t, os.WriteFile(beside(name), []byte("mine"), 0o600))
	assert.ErrorIs(t, exchange(beside(name), name, "as it was"), ErrChanged)
	assert.Equal(t, "theirs", content(t, name))
}

// TestNoCountIsLost has writers count in one file, each from what it read.
func TestNoCountIsLost(t *testing.T) {
	name := plan(t, "0")
	var all sync.WaitGroup
	for range 4 {
		all.Go(func() {
			for done := 0; done < 25; {
				before, err := os.ReadFile(name)
				if !assert.NoError(t, err) {
					return
				}
				n, err := strconv.Atoi(string(before))
				if !assert.NoError(t, err) {
					return
				}
				switch _, err := File(name, string(before), strconv.Itoa(n+1)); {
				case err == nil:
					done++
				case !errors.Is(err, ErrChanged):
					assert.NoError(t, err)
					return
				}
			}
		})
	}
	all.Wait()
	assert.Equal(t, "100", content(t, name))
	alone(t, name)
}

// TestKilledWriterLeavesTheFileWhole kills writers at any moment; the next one finds a whole file, and clears up.
func TestKilledWriterLeavesTheFileWhole(t *testing.T) {
	if name := os.Getenv("REPLACE_TEST_FILE"); name != "" {
		for text := content(t, name); ; {
			next := strings.Repeat(string('a'+(text[0]-'a'+1)%26), len(text))
			_, err := File(name, text, next)
			require.NoError(t, err)
			text = next
		}
	}
	name := plan(t, strings.Repeat("a", 300_000))
	for i := range 12 {
		writer := exec.Command(os.Args[0], "-test.run", "^TestKilledWriterLeavesTheFileWhole$")
		writer.Env = append(os.Environ(), "REPLACE_TEST_FILE="+name)
		require.NoError(t, writer.Start())
		time.Sleep(time.Duration(20+7*i) * time.Millisecond)
		require.NoError(t, writer.Process.Kill())
		_ = writer.Wait()
		text := content(t, name)
		require.Equal(t, strings.Repeat(text[:1], 300_000), text)
	}
	_, err := File(name, content(t, name), "done")
	require.NoError(t, err)
	alone(t, name)
}
