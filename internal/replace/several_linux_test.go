package replace

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// parts writes some files, and gives what becomes of each.
func parts(t *testing.T, folder string, n int) (all []Change) {
	t.Helper()
	for i := range n {
		name := filepath.Join(folder, fmt.Sprintf("part-%d.yaml", i))
		require.NoError(t, os.WriteFile(name, []byte(fmt.Sprint("before ", i)), 0o644))
		all = append(all, Change{name, fmt.Sprint("before ", i), fmt.Sprint("after ", i)})
	}
	return all
}

// how counts the files that are as before, and as after.
func how(t *testing.T, all []Change) (before, after int) {
	t.Helper()
	for _, c := range all {
		switch content(t, c.Name) {
		case c.Before:
			before++
		case c.After:
			after++
		}
	}
	return before, after
}

// TestAllOrNone: where one of several files cannot be written, whichever it is, none is.
func TestAllOrNone(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	for bad := range 4 {
		folder := t.TempDir()
		all := parts(t, folder, 4)
		require.NoError(t, os.WriteFile(all[bad].Name, []byte("somebody else's"), 0o644))
		_, err := Files(all[0].Name, all)
		assert.ErrorIs(t, err, ErrChanged)
		var which *NotWritten
		require.ErrorAs(t, err, &which)
		assert.Equal(t, all[bad].Name, which.Name)
		before, after := how(t, all)
		assert.Equal(t, [2]int{3, 0}, [2]int{before, after})
		back, err := Recover(all[0].Name)
		assert.NoError(t, err)
		assert.Empty(t, back)
	}
	all := parts(t, t.TempDir(), 3)
	_, err := Files(all[0].Name, all)
	require.NoError(t, err)
	_, after := how(t, all)
	assert.Equal(t, 3, after)
}

// TestKilledAmidSeveral kills a writer of five files at many moments: the next one finds all of them written or, once it has recovered, none.
func TestKilledAmidSeveral(t *testing.T) {
	if folder := os.Getenv("WENDRIK_TEST_WRITES"); folder != "" {
		var all []Change
		for i := range 5 {
			all = append(all, Change{filepath.Join(folder, fmt.Sprintf("part-%d.yaml", i)), fmt.Sprint("before ", i), fmt.Sprint("after ", i)})
		}
		fmt.Println("begins")
		_, err := Files(all[0].Name, all)
		require.NoError(t, err)
		return
	}
	cache := t.TempDir()
	t.Setenv("XDG_CACHE_HOME", cache)
	self, err := os.Executable()
	require.NoError(t, err)
	halves, wholes := 0, 0
	for i := range 40 {
		folder := t.TempDir()
		all := parts(t, folder, 5)
		cmd := exec.Command(self, "-test.run", "^TestKilledAmidSeveral$")
		cmd.Env = append(os.Environ(), "WENDRIK_TEST_WRITES="+folder)
		out, err := cmd.StdoutPipe()
		require.NoError(t, err)
		require.NoError(t, cmd.Start())
		_, _ = out.Read(make([]byte, 6))
		time.Sleep(time.Duration(i) * 400 * time.Microsecond)
		_ = cmd.Process.Kill()
		_ = cmd.Wait()
		before, after := how(t, all)
		require.Equal(t, 5, before+after, "each is whole")
		if before > 0 && after > 0 {
			halves++
		}
		back, err := Recover(all[0].Name)
		require.NoError(t, err, strconv.Itoa(i))
		before, now := how(t, all)
		require.True(t, before == 5 || now == 5, "%d before, %d after", before, now)
		if now == 5 {
			wholes++
			require.Empty(t, back)
		} else {
			require.Len(t, back, after)
		}
		left, err := filepath.Glob(filepath.Join(cache, "wendrik", "journal-*"))
		require.NoError(t, err)
		require.Empty(t, left)
	}
	t.Logf("%d of 40 were half written, %d whole", halves, wholes)
}

// TestRecoverTouchesNoOtherWork: what somebody has edited since stays, and is told; and a journal that was cut short is nothing.
func TestRecoverTouchesNoOtherWork(t *testing.T) {
	t.Setenv("XDG_CACHE_HOME", t.TempDir())
	all := parts(t, t.TempDir(), 2)
	require.NoError(t, os.WriteFile(all[0].Name, []byte(all[0].After), 0o644))
	require.NoError(t, os.WriteFile(all[1].Name, []byte("edited since"), 0o644))
	name := journal(all[0].Name)
	require.NoError(t, os.WriteFile(name, []byte(fmt.Sprintf(`[{"Name":%q,"Before":"before 0","After":"after 0"},{"Name":%q,"Before":"before 1","After":"after 1"}]`, all[0].Name, all[1].Name)), 0o600))
	back, err := Recover(all[0].Name)
	assert.ErrorIs(t, err, ErrChanged)
	assert.Equal(t, []string{all[0].Name}, back)
	assert.Equal(t, "edited since", content(t, all[1].Name))
	_, err = Recover(all[0].Name)
	assert.NoError(t, err, "it is told once")

	require.NoError(t, os.WriteFile(name, []byte(`[{"Name":`), 0o600))
	back, err = Recover(all[0].Name)
	assert.NoError(t, err)
	assert.Empty(t, back)
	assert.NoFileExists(t, name)
}
