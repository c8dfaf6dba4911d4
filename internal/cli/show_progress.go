package cli

import (
	"io"
	"os"
	"time"

	"github.com/jedib0t/go-pretty/v6/progress"
	"golang.org/x/term"
)

// meter shows on a terminal how far long work has come, from its first second on.
type meter struct {
	tracker *progress.Tracker
	writer  progress.Writer
	start   *time.Timer
}

// meter begins to measure work; end ends that. Where no terminal is, it shows nothing.
func (s *screen) meter(what string, total int64, units progress.Units) *meter {
	m := &meter{tracker: &progress.Tracker{Message: what, Total: total, Units: units}}
	if f, is := s.err.(*os.File); !is || !term.IsTerminal(int(f.Fd())) {
		return m
	}
	m.writer = progress.NewWriter()
	m.writer.SetOutputWriter(s.err)
	m.writer.SetUpdateFrequency(200 * time.Millisecond)
	m.writer.AppendTracker(m.tracker)
	m.start = time.AfterFunc(time.Second, func() { m.writer.Render() })
	return m
}

// step sets how much is done, and of how much.
func (m *meter) step(done, total int) {
	m.tracker.UpdateTotal(int64(total))
	m.tracker.SetValue(int64(done))
}

func (m *meter) end() {
	m.tracker.MarkAsDone()
	if m.start != nil && !m.start.Stop() {
		time.Sleep(300 * time.Millisecond) // the last update
		m.writer.Stop()
	}
}

// progress measures the reading of a text. The function that it gives ends that.
func (s *screen) progress(r io.Reader, size int64, what string) (io.Reader, func()) {
	m := s.meter(what, size, progress.UnitsBytes)
	return &countingReader{r, m.tracker}, m.end
}

type countingReader struct {
	io.Reader
	*progress.Tracker
}

func (c *countingReader) Read(p []byte) (int, error) {
	n, err := c.Reader.Read(p)
	c.Increment(int64(n))
	return n, err
}
