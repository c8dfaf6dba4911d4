package inlet

import (
	"os"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"
)

// TestNothingHoldsUp: a pipe that nobody writes to, a device and a folder end at once, with a reason; a pipe that somebody writes to is read.
func TestNothingHoldsUp(t *testing.T) {
	folder := t.TempDir()
	pipe, file := filepath.Join(folder, "pipe"), filepath.Join(folder, "file")
	require.NoError(t, unix.Mkfifo(pipe, 0o600))
	require.NoError(t, os.WriteFile(file, []byte("12345"), 0o600))
	require.NoError(t, os.Symlink("pipe", filepath.Join(folder, "link")))
	root, err := os.OpenRoot(folder)
	require.NoError(t, err)
	defer root.Close()
	done := make(chan bool)
	go func() {
		defer close(done)
		for _, name := range []string{"pipe", "link"} {
			_, err := Regular(root, name)
			assert.ErrorIs(t, err, ErrNotFile, name)
			_, err = Read(filepath.Join(folder, name), 10)
			assert.ErrorIs(t, err, ErrNotFile, name)
		}
		f, err := Open(pipe)
		if assert.NoError(t, err) {
			n, _ := f.Read(make([]byte, 1))
			assert.Zero(t, n, "nobody writes to it")
			f.Close()
		}
		_, err = Open(os.DevNull)
		assert.ErrorIs(t, err, ErrDevice)
		_, err = Read(file, 4)
		assert.EqualError(t, err, "it is larger than 4 bytes")
		raw, err := Read(file, 5)
		assert.NoError(t, err)
		assert.Equal(t, "12345", string(raw))
		_, err = Read(folder, 5)
		assert.Error(t, err)

		r, w, err := os.Pipe()
		if assert.NoError(t, err) {
			go func() {
				time.Sleep(50 * time.Millisecond)
				w.WriteString("later")
				w.Close()
			}()
			f, err := Open(filepath.Join("/dev/fd", strconv.Itoa(int(r.Fd()))))
			if assert.NoError(t, err) {
				b := make([]byte, 9)
				n, err := f.Read(b)
				assert.NoError(t, err)
				assert.Equal(t, "later", string(b[:n]), "what comes later is waited for")
			}
		}
	}()
	select {
	case <-done:
	case <-time.After(10 * time.Second):
		t.Fatal("something is waited for")
	}
}
