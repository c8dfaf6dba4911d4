package cli_test

import (
	"encoding/csv"
	"encoding/json"
	"net/netip"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// needs leaves a test out where another program is not installed; where everything must run, that is a failure.
func needs(t *testing.T, program string) {
	t.Helper()
	if _, err := exec.LookPath(program); err != nil {
		require.Empty(t, os.Getenv("WENDRIK_TEST_ALL"), "%s is not installed", program)
		t.Skipf("left out, since %s is not installed", program)
	}
}

// sixes is a plan whose networks end at octets and nibbles, between them, and within the last octet.
const sixes = `wendrik: 1
estate: piers
dhcp: {office: {domain: skerry.example, dns: [wall, cloud, 198.51.100.53], ntp: [wall], mtu: 1500}}
networks:
  wide:  {range: [10.144.0.0/15, "fd3a:5e11:c0de::/48"], profile: zonal, dhcp: office, subnets: {a: {range: [10.144.0.0/24, "fd3a:5e11:c0de::/64"]}}}
  small: {range: [10.150.7.64/27, "fd3a:5e11:beef:e0::/59"], subnets: {a: {range: [10.150.7.64/28, "fd3a:5e11:beef:e0::/64"]}}, lists: {edge: {subnets: [a], in: [allow tcp/443 from any, deny any from 10.144.0.0/16], out: [allow any to any]}}}
workloads:
  wall: {in: wide/a, address: [10.144.0.10, "fd3a:5e11:c0de::10"]}
  bell: {in: small/a, address: [10.150.7.70, "fd3a:5e11:beef:e0::70"]}
`

// TestExportZones loads every zone into a real name server's checker, and looks up in them what each workload has.
func TestExportZones(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "sixes.yaml"), []byte(sixes), 0o600))
	long := strings.Repeat("pier-", 15) + "end" // longer than a label may be (RFC 1035)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "long.yaml"), []byte("wendrik: 1\nprofile: zonal\nregions: {west: [west-a]}\nnetworks: {"+long+": {region: west, range: 10.144.0.0/24, subnets: {"+long+": {range: 10.144.0.0/25, zone: west-a}}}}\n"), 0o600))
	for plan, want := range map[string]int{"long.yaml": 2, "wendrik.yaml": 13, "sixes.yaml": 6} {
		require.Equal(t, 0, run(t, folder, "", "export", "dns", "-plan", plan, "-domain", "skerry.example", "-o", "zones-"+plan).status)
		zones, err := filepath.Glob(filepath.Join(folder, "zones-"+plan, "*.zone"))
		require.NoError(t, err)
		require.Len(t, zones, want, plan)
	}
	read := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(folder, "zones-sixes.yaml", name))
		require.NoError(t, err)
		return strings.ReplaceAll(string(raw), "\t", " ")
	}
	assert.Contains(t, read("144.10.in-addr.arpa.zone"), "10.0.144.10.in-addr.arpa. 3600 IN PTR wall.skerry.example.")
	above := read("7.150.10.in-addr.arpa.zone")
	assert.Contains(t, above, "64/27.7.150.10.in-addr.arpa. 3600 IN NS localhost.", "RFC 2317")
	assert.Contains(t, above, "70.7.150.10.in-addr.arpa. 3600 IN CNAME 70.64/27.7.150.10.in-addr.arpa.")
	assert.Contains(t, read("64-27.7.150.10.in-addr.arpa.zone"), "70.64/27.7.150.10.in-addr.arpa. 3600 IN PTR bell.skerry.example.")
	assert.Contains(t, read("e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa.zone"), ".e.d.0.c.1.1.e.5.a.3.d.f.ip6.arpa. 3600 IN PTR wall.skerry.example.")
	assert.Contains(t, read("skerry.example.zone"), "bell.skerry.example. 3600 IN AAAA fd3a:5e11:beef:e0::70")
	ours := run(t, folder, "", "export", "dns", "-domain", "skerry.example", "-ttl", "300", "-o", "short")
	require.Equal(t, 0, ours.status, ours.err)
	short := func(name string) string {
		raw, err := os.ReadFile(filepath.Join(folder, "short", name))
		require.NoError(t, err)
		return strings.ReplaceAll(string(raw), "\t", " ")
	}
	assert.Contains(t, short("skerry.example.zone"), "out-a.booking.skerry.example. 300 IN A 10.144.0.100\nrouter.web-a.booking.skerry.example. 300 IN A 10.144.0.1\nresolver.web-a.booking.skerry.example. 300 IN A 10.144.0.2")
	assert.Contains(t, short("0.144.10.in-addr.arpa.zone"), "100.0.144.10.in-addr.arpa. 300 IN PTR out-a.booking.skerry.example.")
	assert.Equal(t, 1, strings.Count(short("0.144.10.in-addr.arpa.zone"), "\n1.0.144.10.in-addr.arpa. "), "one address has one name")
	assert.Contains(t, short("17.144.10.in-addr.arpa.zone"), "PTR router.data-c.finance", "a subnet in which nobody is yet")
	assert.Equal(t, 2, run(t, folder, "", "export", "dns", "-ttl", "0").status)
	needs(t, "named-checkzone")
	zones, _ := filepath.Glob(filepath.Join(folder, "zones-*", "*.zone"))
	more, _ := filepath.Glob(filepath.Join(folder, "short", "*.zone"))
	for _, name := range append(zones, more...) {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		origin := strings.Fields(string(raw))[1]
		out, err := exec.Command("named-checkzone", "-i", "local", origin, name).CombinedOutput()
		assert.NoError(t, err, "%s: %s", name, out)
	}
}

// TestExportValues reads values back: as JSON, as CSV, in a real shell, and one alone.
func TestExportValues(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	var nested map[string]map[string]map[string]any
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "export", "values").out), &nested))
	assert.Equal(t, "10.144.0.0/20", nested["networks"]["booking"]["range"])
	rows, err := csv.NewReader(strings.NewReader(run(t, folder, "", "export", "values", "-format", "csv").out)).ReadAll()
	require.NoError(t, err)
	require.Greater(t, len(rows), 100)
	for _, row := range rows[1:6] {
		r := run(t, folder, "", "export", "values", row[0])
		assert.Contains(t, strings.Split(r.out, "\n"), row[1])
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "values.sh"), []byte(run(t, folder, "", "export", "values", "-format", "sh").out), 0o600))
	out, err := exec.Command("sh", "-ec", ". "+filepath.Join(folder, "values.sh")+`; echo "$NETWORKS_FINANCE_SUBNETS_DATA_A_RANGE"`).CombinedOutput()
	require.NoError(t, err, string(out))
	assert.Equal(t, "10.144.16.0/25\n", string(out))
	r := run(t, folder, "", "export", "values", "networks.none.range")
	assert.Equal(t, 2, r.status)
	assert.Contains(t, r.err, "no value networks.none.range")
}

// TestExportTables reads the tables back with the commands that take lists, and with a CSV reader.
func TestExportTables(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.Equal(t, 0, run(t, folder, "", "export", "tables", "-o", "tables").status)
	r := run(t, folder, "", "overlaps", "-list", "tables/networks.csv")
	assert.Equal(t, 1, r.status, r.err)
	assert.Contains(t, r.out, "drill")
	assert.NotContains(t, r.err, "could not be read")
	r = run(t, folder, "", "space", "-taken", "tables/workloads.csv")
	assert.NotContains(t, r.err, "could not be read")
	files, err := filepath.Glob(filepath.Join(folder, "tables", "*.csv"))
	require.NoError(t, err)
	require.Len(t, files, 12)
	md := run(t, folder, "", "export", "md").out
	for _, name := range files {
		raw, err := os.ReadFile(name)
		require.NoError(t, err)
		rows, err := csv.NewReader(strings.NewReader(string(raw))).ReadAll()
		require.NoError(t, err, name)
		require.Greater(t, len(rows), 1, name)
		kind := strings.TrimSuffix(filepath.Base(name), ".csv")
		assert.Contains(t, md, "## "+strings.ToUpper(kind[:1])+kind[1:]+"\n")
	}
}

// TestExportYANG holds the JSON against a schema made from the published models, and every name that refers to something against
// what is there.
func TestExportYANG(t *testing.T) {
	t.Parallel()
	folder := demo(t)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "sixes.yaml"), []byte(sixes), 0o600))
	schema, err := jsonschema.NewCompiler().Compile("testdata/yang.schema.json")
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(folder, "bare.yaml"), []byte("wendrik: 1\n"), 0o600))
	for _, plan := range []string{"wendrik.yaml", "planned.yaml", "sixes.yaml", "bare.yaml"} {
		out := run(t, folder, "", "export", "yang", "-plan", plan).out
		value, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
		require.NoError(t, err)
		require.NoError(t, schema.Validate(value), plan)
		var x struct {
			Networks struct {
				Network []struct {
					Node []struct {
						ID string `json:"node-id"`
					} `json:"node"`
					Link []struct {
						Source struct {
							Node string `json:"source-node"`
						}
						Destination struct {
							Node string `json:"dest-node"`
						}
					} `json:"ietf-network-topology:link"`
				}
			} `json:"ietf-network:networks"`
		}
		require.NoError(t, json.Unmarshal([]byte(out), &x))
		nodes := map[string]bool{}
		for _, n := range x.Networks.Network[0].Node {
			require.False(t, nodes[n.ID], "%s twice", n.ID)
			nodes[n.ID] = true
		}
		for _, l := range x.Networks.Network[0].Link {
			assert.True(t, nodes[l.Source.Node] && nodes[l.Destination.Node], "%v", l)
		}
	}
}

// TestExportDHCPAndHosts tries the options of a subnet, and the lines of a hosts file.
func TestExportDHCPAndHosts(t *testing.T) {
	t.Parallel()
	folder := t.TempDir()
	write(t, folder, sixes)
	var out struct {
		Subnets []struct {
			Subnet, Range string
			Options       []struct {
				Code  int
				Name  string
				Value any
			}
			Reservations []struct{ Host, Address string }
		}
	}
	require.NoError(t, json.Unmarshal([]byte(run(t, folder, "", "export", "dhcp").out), &out))
	require.Len(t, out.Subnets, 2)
	options := map[int]any{}
	for _, o := range out.Subnets[0].Options {
		options[o.Code] = o.Value
	}
	assert.Equal(t, map[int]any{1: "255.255.255.0", 3: []any{"10.144.0.1"}, 6: []any{"10.144.0.10", "10.144.0.2", "198.51.100.53"}, 15: "skerry.example", 26: 1500.0, 42: []any{"10.144.0.10"}}, options)
	assert.Equal(t, "wall", out.Subnets[0].Reservations[0].Host)
	lines := 0
	for line := range strings.Lines(run(t, folder, "", "export", "hosts", "-domain", "skerry.example").out) {
		if strings.HasPrefix(line, "#") {
			continue
		}
		words := strings.Fields(line)
		require.Len(t, words, 3)
		_, err := netip.ParseAddr(words[0])
		require.NoError(t, err)
		assert.Equal(t, words[2]+".skerry.example", words[1])
		lines++
	}
	assert.Equal(t, 4, lines)
}
