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
			files, err := DNS{Domain: "Skerry.Example", Servers: []string{"ns1.skerry.example", "ns2.example.net."}, Serial: 2031033101, TTL: 3600}.Zones(e)
			require.NoError(t, err)
			return contents(files)
		}
		return filters(e)
	})
}

func contents(files []File) string {
	var b strings.Builder
	for _, f := range files {
		b.WriteString(f.Name + "\n" + f.Content)
	}
	return b.String()
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
networks: {n: {range: [10.0.0.0/25, 10.0.0.128/26], subnets: {s: {range: [10.0.0.0/28, 10.0.0.16/30]}, t: {range: 10.0.0.128/28}}, dhcp: d}}
dhcp: {d: {dns: [w, "fd00::1"], ntp: [v], domain: "it's", mtu: 900}}
workloads: {w: {in: n/s, address: 10.0.0.5}, v: {in: n/s, address: 10.0.0.17, public: 203.0.113.9}, u: {in: n/t, address: 10.0.0.130}}
`)
	values := append(Values(e), Value{[]string{"space", "a_b", "range"}, []string{"it's", "two"}}, Value{[]string{"space", "a+b", "range"}, []string{"3"}})
	require.Contains(t, ValuesShell(values), "SPACE_A_B_RANGE='10.0.0.0/16'\n")
	require.Contains(t, ValuesShell(values), "SPACE_A_B_RANGE_2='it'\\''s two'\n")
	require.Contains(t, ValuesShell(values), "SPACE_A_B_RANGE_3='3'\n")
	require.Contains(t, DHCP(e), `"it's"`)
	require.Equal(t, 3, strings.Count(DHCP(e), `"reservations": [`))
	golden.Cases(t, small, func(t *testing.T, _ string) string {
		files, err := DNS{Domain: "skerry.example", Servers: []string{"ns"}, Serial: 7, TTL: 3600}.Zones(e)
		require.NoError(t, err)
		return contents(files)
	})
}

const small = `
== zones below an octet
zones
--
skerry.example.zone
$ORIGIN skerry.example.
$TTL 3600
skerry.example.	3600	IN	SOA	ns. hostmaster.skerry.example. 7 7200 900 1209600 3600
skerry.example.	3600	IN	NS	ns.
w.skerry.example.	3600	IN	A	10.0.0.5
v.skerry.example.	3600	IN	A	10.0.0.17
u.skerry.example.	3600	IN	A	10.0.0.130
0.0.10.in-addr.arpa.zone
$ORIGIN 0.0.10.in-addr.arpa.
$TTL 3600
0.0.10.in-addr.arpa.	3600	IN	SOA	ns. hostmaster.skerry.example. 7 7200 900 1209600 3600
0.0.10.in-addr.arpa.	3600	IN	NS	ns.
0/25.0.0.10.in-addr.arpa.	3600	IN	NS	ns.
5.0.0.10.in-addr.arpa.	3600	IN	CNAME	5.0/25.0.0.10.in-addr.arpa.
17.0.0.10.in-addr.arpa.	3600	IN	CNAME	17.0/25.0.0.10.in-addr.arpa.
128/26.0.0.10.in-addr.arpa.	3600	IN	NS	ns.
130.0.0.10.in-addr.arpa.	3600	IN	CNAME	130.128/26.0.0.10.in-addr.arpa.
0-25.0.0.10.in-addr.arpa.zone
$ORIGIN 0/25.0.0.10.in-addr.arpa.
$TTL 3600
0/25.0.0.10.in-addr.arpa.	3600	IN	SOA	ns. hostmaster.skerry.example. 7 7200 900 1209600 3600
0/25.0.0.10.in-addr.arpa.	3600	IN	NS	ns.
5.0/25.0.0.10.in-addr.arpa.	3600	IN	PTR	w.skerry.example.
17.0/25.0.0.10.in-addr.arpa.	3600	IN	PTR	v.skerry.example.
128-26.0.0.10.in-addr.arpa.zone
$ORIGIN 128/26.0.0.10.in-addr.arpa.
$TTL 3600
128/26.0.0.10.in-addr.arpa.	3600	IN	SOA	ns. hostmaster.skerry.example. 7 7200 900 1209600 3600
128/26.0.0.10.in-addr.arpa.	3600	IN	NS	ns.
130.128/26.0.0.10.in-addr.arpa.	3600	IN	PTR	u.skerry.example.
`
