package replace

import (
	"errors"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"syscall"
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

// TestOwnersAndAttributes: owner and group stay, each by itself, and every attribute; where they cannot, nothing is written.
func TestOwnersAndAttributes(t *testing.T) {
	if os.Getuid() == 0 {
		for _, own := range [][2]int{{4711, 0}, {0, 4712}} {
			name := plan(t, "old")
			require.NoError(t, os.Chown(name, own[0], own[1]))
			_, err := File(name, "old", "new")
			require.NoError(t, err)
			var stat unix.Stat_t
			require.NoError(t, unix.Stat(name, &stat))
			assert.Equal(t, []uint32{uint32(own[0]), uint32(own[1])}, []uint32{stat.Uid, stat.Gid})
		}
	}
	name := plan(t, "old")
	if unix.Setxattr(name, "user.a", []byte("yes"), 0) != nil {
		return // the file system has none
	}
	require.NoError(t, unix.Setxattr(name, "user.b", nil, 0))
	require.NoError(t, unix.Setxattr(name, "user.c", []byte("a longer one"), 0))
	_, err := File(name, "old", "new")
	require.NoError(t, err)
	for attribute, want := range map[string]string{"user.a": "yes", "user.b": "", "user.c": "a longer one"} {
		value := make([]byte, 99)
		n, err := unix.Getxattr(name, attribute, value)
		require.NoError(t, err, attribute)
		assert.Equal(t, want, string(value[:n]))
	}
}

// TestLocks: who finds another writer waits for it, and gives up in the end; what a killed program left beside a file goes.
func TestLocks(t *testing.T) {
	defer func(was time.Duration) { lockWait = was }(lockWait)
	lockWait = 800 * time.Millisecond
	name := plan(t, "old")
	lock, err := locked(name)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(beside(name), []byte("left"), 0o600))
	begun := time.Now()
	time.AfterFunc(300*time.Millisecond, func() { lock.Close() })
	_, err = File(name, "old", "new")
	require.NoError(t, err)
	assert.Greater(t, time.Since(begun), 290*time.Millisecond)
	alone(t, name)
	lock, err = locked(name)
	require.NoError(t, err)
	defer lock.Close()
	begun = time.Now()
	_, err = File(name, "new", "newer")
	assert.ErrorIs(t, err, ErrBusy)
	assert.Greater(t, time.Since(begun), lockWait-10*time.Millisecond)
	assert.Equal(t, "new", content(t, name))
	require.NoError(t, os.MkdirAll(filepath.Join(beside(name), "x"), 0o700))
	lock.Close()
	_, err = File(name, "new", "newer")
	assert.Error(t, err, "what lies in the way is somebody else's")
	assert.Equal(t, "new", content(t, name))
	assert.Equal(t, filepath.Join(filepath.Dir(name), ".wendrik.yaml.wendrik-new"), beside(name))
}

// TestSignalsWait: a signal that would end the program waits until the file is whole.
func TestSignalsWait(t *testing.T) {
	for _, s := range []syscall.Signal{syscall.SIGTERM, syscall.SIGHUP, syscall.SIGINT} {
		name := plan(t, "old")
		lock, err := locked(name)
		require.NoError(t, err)
		time.AfterFunc(150*time.Millisecond, func() {
			assert.NoError(t, syscall.Kill(os.Getpid(), s))
			time.Sleep(50 * time.Millisecond)
			lock.Close()
		})
		_, err = File(name, "old", "new")
		require.NoError(t, err)
		assert.Equal(t, "new", content(t, name))
	}
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

// TestOutput: a file that is made anew keeps its mode and its link; what is no plain file stays what it is, also at the end of a link.
func TestOutput(t *testing.T) {
	dir := t.TempDir()
	at := func(name string) string { return filepath.Join(dir, name) }
	require.NoError(t, Output(at("fresh"), []byte("one")))
	info, err := os.Stat(at("fresh"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o644), info.Mode())

	require.NoError(t, os.WriteFile(at("kept"), []byte("a longer text"), 0o600))
	require.NoError(t, os.Chmod(at("kept"), 0o640))
	require.NoError(t, os.Symlink("kept", at("link")))
	require.NoError(t, Output(at("link"), []byte("two")))
	info, err = os.Lstat(at("link"))
	require.NoError(t, err)
	assert.Equal(t, os.ModeSymlink, info.Mode().Type())
	text, err := os.ReadFile(at("kept"))
	require.NoError(t, err)
	assert.Equal(t, "two", string(text))
	info, err = os.Stat(at("kept"))
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o640), info.Mode())

	require.NoError(t, unix.Mkfifo(at("pipe"), 0o600))
	require.NoError(t, os.Symlink("pipe", at("to-pipe")))
	// A device of our own where that can be made: a program that is broken must not replace one that all others use.
	device := os.DevNull
	if unix.Mknod(at("device"), unix.S_IFCHR|0o600, int(unix.Mkdev(1, 3))) == nil {
		device = "device"
	} else {
		require.NoError(t, os.WriteFile(at("device"), nil, 0o600))
		require.NotZero(t, os.Geteuid(), "somebody who may replace devices makes them, too")
	}
	require.NoError(t, os.Symlink(device, at("to-device")))
	for _, name := range []string{"pipe", "to-pipe", "to-device", "."} {
		assert.ErrorIs(t, Output(at(name), []byte("three")), ErrNotFile, name)
	}
	info, err = os.Stat(at("pipe"))
	require.NoError(t, err)
	assert.Equal(t, os.ModeNamedPipe, info.Mode().Type())
	assert.ErrorIs(t, Output(at("no/where"), nil), os.ErrNotExist)
	left, err := os.ReadDir(dir)
	require.NoError(t, err)
	assert.Len(t, left, 7, "nothing lies beside them")
}
