package cli_test

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/stretchr/testify/require"

	"wendrik/internal/editor/editortest"
	"wendrik/internal/randomplan"
)

// BenchmarkCommands times whole processes on estates of 10 subnets and 100 workloads a network: "first" reads the text,
// and "again" finds it in the cache. MB is the largest memory of any run.
func BenchmarkCommands(b *testing.B) {
	b.Setenv("XDG_CACHE_HOME", b.TempDir())
	for _, networks := range []int{10, 100, 1000} {
		folder := b.TempDir()
		if err := os.WriteFile(filepath.Join(folder, "wendrik.yaml"), []byte(randomplan.Large(networks)), 0o644); err != nil {
			b.Fatal(err)
		}
		for _, line := range []string{
			"reach app-1-a-3 data-7-b-4 -on tcp/1", "reach app-1-a-3 internet -on tcp/443", "show app-1-a-3", "space", "carve", "overlaps -format csv",
			"check", "grid -from internet -format csv", "grid -by networks -format csv", "grid -by classes -format json",
		} {
			for _, cache := range []string{"off", "on"} {
				b.Run(fmt.Sprintf("%d/%s/cache=%s", networks, strings.ReplaceAll(line, " ", "_"), cache), func(b *testing.B) {
					most := int64(0)
					once := func() {
						c := exec.Command(program, strings.Fields(line)...)
						c.Dir, c.Env = folder, append(os.Environ(), "WENDRIK_CACHE="+cache)
						if err := c.Run(); err != nil && c.ProcessState.ExitCode() != 1 {
							b.Fatal(line, err)
						}
						most = max(most, c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss)
					}
					if cache == "on" {
						once()
					}
					for b.Loop() {
						once()
					}
					b.ReportMetric(float64(most)/1024, "MB")
				})
			}
		}
	}
}

// BenchmarkKeystroke is an editor at the largest estate: a key is typed every 80 ms, and each time it is asked what may stand there. It tells within
// which time the half of the answers come, and nineteen of twenty, and the largest memory of the server.
func BenchmarkKeystroke(b *testing.B) {
	text := randomplan.Large(1000)
	w, server := edit(b, b.TempDir(), "utf-16")
	u := w.Open(b.TempDir(), "wendrik.yaml", text)
	w.Marked(u, func([]string) bool { return true })
	lines := strings.Split(text, "\n")
	n := slices.IndexFunc(lines[len(lines)/2:], func(l string) bool { return strings.Contains(l, " in: ") || strings.Contains(l, "{in: ") }) + len(lines)/2
	var took []time.Duration
	for b.Loop() {
		end := editortest.Point{Line: n, Character: len(lines[n])}
		w.Change(u, editortest.Span{Start: end, End: end}, " ")
		lines[n] += " "
		asked := time.Now()
		w.Ask(nil, "textDocument/completion", map[string]any{"textDocument": map[string]any{"uri": u}, "position": editortest.Point{Line: n, Character: strings.Index(lines[n], "in: ") + 4}})
		took = append(took, time.Since(asked))
		time.Sleep(80 * time.Millisecond)
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "ms-half")
	b.ReportMetric(float64(took[len(took)*19/20].Microseconds())/1000, "ms-19-of-20")
	if raw, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", server.Process.Pid)); err == nil {
		_, rest, _ := strings.Cut(string(raw), "VmHWM:")
		var kib float64
		if _, err := fmt.Sscan(rest, &kib); err == nil {
			b.ReportMetric(kib/1024, "MB")
		}
	}
}

// BenchmarkReport writes the page of three estates, the last of 100,000 workloads, and has a real browser open it: how large it is, and
// when something is first seen.
func BenchmarkReport(b *testing.B) {
	for _, n := range []int{10, 100, 1000} {
		b.Run(fmt.Sprintf("%d workloads", n*100), func(b *testing.B) {
			folder := b.TempDir()
			require.NoError(b, os.WriteFile(filepath.Join(folder, "wendrik.yaml"), []byte(randomplan.Large(n)), 0o600))
			for b.Loop() {
				c := exec.Command(program, "report", "-o", "page.html")
				c.Dir = folder
				require.NoError(b, c.Run())
			}
			info, err := os.Stat(filepath.Join(folder, "page.html"))
			require.NoError(b, err)
			b.ReportMetric(float64(info.Size())/1e6, "MB")
			alloc, stop := chromedp.NewExecAllocator(context.Background(), append(chromedp.DefaultExecAllocatorOptions[:], chromedp.ExecPath("chromium"), chromedp.NoSandbox)...)
			defer stop()
			ctx, stop := chromedp.NewContext(alloc)
			defer stop()
			var paint, done float64
			require.NoError(b, chromedp.Run(ctx, chromedp.Navigate("file://"+filepath.Join(folder, "page.html")), chromedp.WaitReady("#table tbody tr"), chromedp.Sleep(200*time.Millisecond),
				chromedp.Evaluate(`performance.getEntriesByType("paint")[0].startTime`, &paint), chromedp.Evaluate(`performance.timing.loadEventEnd - performance.timing.navigationStart`, &done)))
			b.ReportMetric(paint, "ms-to-first-paint")
			b.ReportMetric(done, "ms-to-loaded")
		})
	}
}
