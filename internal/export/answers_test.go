package export

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"wendrik/internal/core/estate"
	"wendrik/internal/core/estate/estatetest"
	"wendrik/internal/golden"
)

// TestAnswers reads back all that is exported of estates: PLAN FORMAT.
func TestAnswers(t *testing.T) {
	golden.File(t, "answers.txt", func(t *testing.T, asked string) string {
		words := strings.Fields(asked)
		e := estatetest.Load(t, estatetest.Plan(t, words[0]))
		switch words[1] {
		case "tables":
			var b strings.Builder
			for _, x := range Tables(e) {
				b.WriteString(x.Name + ": " + strings.Join(x.Header, " | ") + "\n")
				for _, r := range x.Rows {
					b.WriteString("  " + strings.Join(r, " | ") + "\n")
				}
			}
			return b.String()
		case "json":
			return ValuesJSON(Values(e))
		case "csv":
			return ValuesCSV(Values(e))
		case "shell":
			return ValuesShell(Values(e))
		case "dhcp":
			return DHCP(e)
		case "hosts":
			return Hosts(e, "Skerry.Example.")
		case "yang":
			return YANG(e)
		case "zones":
			files, err := DNS{Domain: "Skerry.Example", Servers: []string{"ns1.skerry.example", "ns2.example.net."}, Serial: 2031033101}.Zones(e)
			require.NoError(t, err)
			return golden.Tell(files)
		}
		return filters(e)
	})
}

func filters(e *estate.Estate) string {
	var b strings.Builder
	for _, w := range e.Workloads {
		b.WriteString(WorkloadFilters(w))
	}
	for _, s := range e.Subnets {
		b.WriteString(SubnetFilters(s))
	}
	return b.String()
}

// TestNames: names that would be one variable, one host name, or one key stay apart.
func TestNames(t *testing.T) {
	e := estatetest.Load(t, `wendrik: 1
space: {a-b: {block: 10.0.0.0/16}, a: {block: 10.1.0.0/16}}
networks: {n: {range: 10.0.0.0/16, subnets: {s: {range: [10.0.0.0/28, 10.0.0.16/30]}}, dhcp: d}}
dhcp: {d: {dns: [w, "fd00::1"], ntp: [v], domain: "it's", mtu: 900}}
workloads: {w: {in: n/s, address: 10.0.0.5}, v: {in: n/s, address: 10.0.0.17, public: 203.0.113.9}}
`)
	values := append(Values(e), Value{[]string{"space", "a_b", "range"}, []string{"it's", "two"}})
	require.Contains(t, ValuesShell(values), "SPACE_A_B_RANGE='10.0.0.0/16'\n")
	require.Contains(t, ValuesShell(values), "SPACE_A_B_RANGE_2='it'\\''s two'\n")
	require.Contains(t, DHCP(e), `"it's"`)
	require.Equal(t, 2, strings.Count(DHCP(e), `"reservations": [`))
}
