package cli_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

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
