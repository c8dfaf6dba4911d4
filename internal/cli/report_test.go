package cli_test

import (
	"bufio"
	"context"
	"encoding/json"
	"io"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/log"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/cdproto/runtime"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wendrik/internal/randomplan"
)

// browser opens a page in a real browser, and gives what the browser complained of so far.
func browser(t *testing.T, address string) (ctx context.Context, complaints func() []string) {
	t.Helper()
	needs(t, "chromium")
	alloc, stop := chromedp.NewExecAllocator(context.Background(), append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath("chromium"), chromedp.NoSandbox, chromedp.WindowSize(1280, 800))...)
	t.Cleanup(stop)
	ctx, stop = chromedp.NewContext(alloc)
	t.Cleanup(stop)
	ctx, stop = context.WithTimeout(ctx, 60*time.Second)
	t.Cleanup(stop)
	said := make(chan string, 1000)
	chromedp.ListenTarget(ctx, func(e any) {
		switch e := e.(type) {
		case *runtime.EventExceptionThrown:
			said <- e.ExceptionDetails.Error()
		case *runtime.EventConsoleAPICalled:
			said <- "console: " + string(e.Type)
		case *log.EventEntryAdded:
			said <- e.Entry.Text
		}
	})
	require.NoError(t, chromedp.Run(ctx, log.Enable(), chromedp.Navigate(address), chromedp.WaitReady("#table tbody tr")))
	return ctx, func() []string {
		var all []string
		for len(said) > 0 {
			all = append(all, <-said)
		}
		return all
	}
}

// text is what stands in an element.
func text(t *testing.T, ctx context.Context, where string) string {
	t.Helper()
	var s string
	require.NoError(t, chromedp.Run(ctx, chromedp.Text(where, &s, chromedp.ByQuery)))
	return s
}

// TestReportInBrowser opens the page in a real browser: it filters, sorts, opens a cell by the keyboard, finds an end, fits a small
// screen, and prints, and the browser complains of nothing.
func TestReportInBrowser(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "prices.csv"), []byte("kind,month\nnat gateway,32.50\nworkload,20\n"), 0o600))
	r := run(t, folder, "", "report", "-o", "page.html", "-prices", "prices.csv")
	require.Equal(t, 0, r.status, r.err)
	ctx, complaints := browser(t, "file://"+filepath.Join(folder, "page.html"))
	assert.Contains(t, text(t, ctx, "#bill"), "32.50")
	assert.Contains(t, text(t, ctx, "#bill"), "292.50", "a gateway and thirteen workloads")
	assert.Contains(t, text(t, ctx, "#findings"), "left-on-main-table")
	require.NoError(t, chromedp.Run(ctx, chromedp.SetValue("#which", "2"), chromedp.Evaluate(`document.getElementById('which').dispatchEvent(new Event('change'))`, nil), chromedp.SendKeys("#filter", "booking app")))
	assert.Equal(t, "1 to 3 of 3", text(t, ctx, "#count"))
	var first string
	require.NoError(t, chromedp.Run(ctx, chromedp.Click("#table th button"), chromedp.Click("#table th button"), chromedp.Text("#table tbody td", &first)))
	assert.Equal(t, "booking/app-c", first, "sorted downwards")
	require.NoError(t, chromedp.Run(ctx, chromedp.SendKeys("#ask", "fare-db"), chromedp.WaitReady("#answer li")))
	assert.Contains(t, text(t, ctx, "#answer"), "fares-1: tcp/5432")
	assert.NotContains(t, text(t, ctx, "#answer"), "fares-3: tcp/5432")
	// To the cell from fares-1 to fare-db with the arrow keys.
	require.NoError(t, chromedp.Run(ctx, chromedp.Focus("#matrix button"), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowDown), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.Enter)))
	assert.Contains(t, text(t, ctx, "#cell"), "fares-1 to fare-db: tcp/5432")
	assert.Contains(t, text(t, ctx, "#cell"), "via booking-finance")
	var wide float64
	var pdf []byte
	require.NoError(t, chromedp.Run(ctx, emulation.SetDeviceMetricsOverride(400, 800, 1, true), chromedp.Evaluate("document.documentElement.scrollWidth", &wide),
		chromedp.ActionFunc(func(ctx context.Context) (err error) {
			pdf, _, err = page.PrintToPDF().Do(ctx)
			return err
		})))
	assert.LessOrEqual(t, wide, 400.0, "nothing is wider than a small screen")
	assert.Greater(t, len(pdf), 10000)
	assert.Empty(t, complaints())
}

// TestReportIsHarmless opens a page whose every name wants to do something: nothing runs, and nothing is fetched.
func TestReportIsHarmless(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	evil := `</script><script>document.title="done"</script><img src=x onerror=document.title="done">`
	quoted, _ := json.Marshal(evil)
	write(t, folder, "wendrik: 1\nestate: "+string(quoted)+"\nnetworks:\n  n: {range: 10.0.0.0/16, owner: "+string(quoted)+", subnets: {s: {range: 10.0.0.0/24}}, held: {h: {range: 10.0.9.0/24, for: "+string(quoted)+"}}}\nworkloads: {w: {in: n/s, address: 10.0.0.9, owner: "+string(quoted)+"}}\n")
	r := run(t, folder, "", "report", "-o", "page.html")
	require.Equal(t, 0, r.status, r.err)
	ctx, complaints := browser(t, "file://"+filepath.Join(folder, "page.html"))
	var title string
	require.NoError(t, chromedp.Run(ctx, chromedp.Sleep(300*time.Millisecond), chromedp.Title(&title)))
	assert.Equal(t, evil, title)
	assert.Empty(t, complaints())
	raw, err := os.ReadFile(filepath.Join(folder, "page.html"))
	require.NoError(t, err)
	assert.Contains(t, string(raw), "default-src &#39;none&#39;")
	assert.NotRegexp(t, `(?i)(src|href)="?https?:`, string(raw))
}

// TestReportOfLargeEstates holds the page of 100 networks to its bounds.
func TestReportOfLargeEstates(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, randomplan.Large(100))
	r := run(t, folder, "", "report", "-o", "page.html")
	require.Equal(t, 0, r.status, r.err)
	raw, err := os.ReadFile(filepath.Join(folder, "page.html"))
	require.NoError(t, err)
	assert.Less(t, len(raw), 20_000_000)
	assert.Contains(t, string(raw), "Pictures of single networks are left out")
	ctx, complaints := browser(t, "file://"+filepath.Join(folder, "page.html"))
	assert.NotEmpty(t, text(t, ctx, "#gridnote"))
	assert.Empty(t, complaints())
}

// TestReportWatch serves the page to this machine, makes it anew when the plan is edited, keeps it where the plan is broken, and
// answers for no other name.
func TestReportWatch(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	c := exec.Command(program, "report", "-watch")
	c.Dir = folder
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	defer func() { _ = c.Process.Kill() }()
	lines := bufio.NewScanner(out)
	require.True(t, lines.Scan())
	address := regexp.MustCompile(`http://127\.0\.0\.1:\d+/`).FindString(lines.Text())
	require.NotEmpty(t, address, lines.Text())
	get := func(host string) (int, string) {
		q, err := http.NewRequest(http.MethodGet, address, nil)
		require.NoError(t, err)
		if host != "" {
			q.Host = host
		}
		a, err := http.DefaultClient.Do(q)
		require.NoError(t, err)
		defer a.Body.Close()
		var b strings.Builder
		_, err = bufio.NewReader(a.Body).WriteTo(&b)
		require.NoError(t, err)
		return a.StatusCode, b.String()
	}
	status, body := get("")
	require.Equal(t, 200, status)
	require.NotContains(t, body, "lighthouse")
	status, _ = get("evil.example")
	assert.Equal(t, 403, status)
	events, err := http.Get(address + "events")
	require.NoError(t, err)
	defer events.Body.Close()
	write(t, folder, read(t, folder)+"# broken: [\n networks: 1\n")
	time.Sleep(600 * time.Millisecond)
	status, body = get("")
	require.Equal(t, 200, status)
	require.Contains(t, body, "fare-db")
	write(t, folder, "wendrik: 1\nestate: lighthouse\nnetworks: {n: {range: 10.0.0.0/16}}\n")
	heard := make(chan string, 1)
	go func() {
		line, _ := bufio.NewReader(events.Body).ReadString('\n')
		heard <- line
	}()
	select {
	case line := <-heard:
		assert.Equal(t, "event: changed\n", line)
	case <-time.After(10 * time.Second):
		require.Fail(t, "nothing was pushed")
	}
	_, body = get("")
	assert.Contains(t, body, "lighthouse")
	require.NoError(t, c.Process.Signal(syscall.SIGINT))
	assert.NoError(t, c.Wait(), "an interrupt is a clean end")
}

// TestReportWatchesAllThatIsRead: the page is made anew when a part of the plan in another folder, what a link leads to, or the prices are
// edited, also where the plan is named by its folder and a part has come meanwhile; and for no other file.
func TestReportWatchesAllThatIsRead(t *testing.T) {
	t.Parallel()
	folder, elsewhere := t.TempDir(), t.TempDir()
	file := func(name, content string) {
		require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
		require.NoError(t, os.WriteFile(name, []byte(content), 0o644))
	}
	estate := filepath.Join(folder, "estate")
	file(filepath.Join(elsewhere, "plan"), "wendrik: 1\nestate: quay-0\nparts: [sub/north.yaml]\n")
	file(filepath.Join(estate, "sub", "north.yaml"), "networks: {north-0: {range: 10.0.0.0/16}}\n")
	require.NoError(t, os.Symlink(filepath.Join(elsewhere, "plan"), filepath.Join(estate, "wendrik.yaml")))
	file(filepath.Join(folder, "prices.csv"), "kind,month\nnetwork,7\n")
	c := exec.Command(program, "report", "-watch", "-plan", "estate", "-prices", "prices.csv")
	c.Dir = folder
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	defer func() { _ = c.Process.Kill(); _ = c.Wait() }()
	said := make(chan string, 100)
	go func() {
		for lines := bufio.NewScanner(out); lines.Scan(); {
			said <- lines.Text()
		}
		close(said)
	}()
	next := func(within time.Duration) string {
		select {
		case line := <-said:
			return line
		case <-time.After(within):
			return ""
		}
	}
	address := regexp.MustCompile(`http://127\.0\.0\.1:\d+/`).FindString(next(10 * time.Second))
	require.NotEmpty(t, address)
	for _, edit := range []struct{ name, content, shows string }{
		{filepath.Join(estate, "sub", "north.yaml"), "networks: {north-1: {range: 10.0.0.0/16}}\n", "north-1"},
		{filepath.Join(folder, "prices.csv"), "kind,month\nnetwork,4321\n", "4321"},
		{filepath.Join(elsewhere, "plan"), "wendrik: 1\nestate: quay-1\nparts: [sub/north.yaml, far/south.yaml]\n", ""}, // which is not there yet
		{filepath.Join(estate, "far", "south.yaml"), "networks: {south-1: {range: 10.1.0.0/16}}\n", ""},
		{filepath.Join(elsewhere, "plan"), "wendrik: 1\nestate: quay-2\nparts: [sub/north.yaml, far/south.yaml]\n", "south-1"},
		{filepath.Join(estate, "far", "south.yaml"), "networks: {south-2: {range: 10.1.0.0/16}}\n", "south-2"},
		{filepath.Join(estate, "sub", "other.yaml"), "networks: {other: {range: 10.1.0.0/16}}\n", ""},
	} {
		file(edit.name, edit.content)
		if edit.shows == "" {
			assert.Empty(t, next(700*time.Millisecond), "%s: nothing is made anew", edit.name)
			continue
		}
		require.Contains(t, next(10*time.Second), "made anew", "%s", edit.name)
		a, err := http.Get(address)
		require.NoError(t, err)
		body, err := io.ReadAll(a.Body)
		require.NoError(t, err)
		require.NoError(t, a.Body.Close())
		require.Contains(t, string(body), edit.shows, "%s", edit.name)
	}
}

// TestReportRefuses tries what is refused, with what would be right.
func TestReportRefuses(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	for content, says := range map[string]string{
		"a,b\n":                         "no column kind",
		"kind,month\nboat,3\n":          `no kind "boat"`,
		"kind,month\nhub,dear\n":        `"dear" is no price`,
		"kind,month\nhub,1e999999999\n": "is no price",
		"kind,month\nhub\n":             "too few columns",
		"":                              "no line of column names",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, "prices.csv"), []byte(content), 0o600))
		r := run(t, folder, "", "report", "-o", "p.html", "-prices", "prices.csv")
		assert.Equal(t, 2, r.status)
		assert.Contains(t, r.err, says)
	}
	for args, says := range map[string]string{"report": "needs a file", "report -watch -o p.html": "-watch", "report -watch -plan -": "cannot be watched", "report -o none/p.html": "cannot be written"} {
		r := run(t, folder, "", strings.Fields(args)...)
		assert.Equal(t, 2, r.status, args)
		assert.Contains(t, r.err, says, args)
	}
}
