package cli_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestChosenFixBreaksNoLine: a fix that a person chose is not written where a line that holds would not any longer, until they say so; what it takes away is
// then wired back as far as lines ask for it.
func TestChosenFixBreaksNoLine(t *testing.T) {
	folder := t.TempDir()
	const content = `wendrik: 1
out: closed
networks: {a: {range: 10.0.0.0/16, subnets: {x: {range: 10.0.0.0/24}, y: {range: 10.0.1.0/24}}, groups: {r: {in: [tcp/22 from a], out: [any to any]}, k: {in: [], out: [any to any]}}}}
workloads: {w: {in: a/x, address: 10.0.0.9, groups: [r], listens: [tcp/22]}, v: {in: a/y, address: 10.0.1.9, groups: [k]}}
expect: [v reaches w on tcp/22]
`
	write(t, folder, content)
	fix := []string{"check", "-fix", "-choose", "lets-all-out=remove", "-write"}
	ran := run(t, folder, "", fix...)
	assert.Equal(t, 2, ran.status)
	assert.Contains(t, ran.err, `nothing was written, because it would break "v reaches w on tcp/22"`)
	assert.Equal(t, content, read(t, folder))
	ran = run(t, folder, "", append(fix, "-breaks")...)
	assert.Contains(t, ran.out, "written to wendrik.yaml: 2 changes", ran.err)
	assert.Equal(t, 0, run(t, folder, "", "wire", "-write").status)
	assert.Contains(t, read(t, folder), "k: {in: [], out: [tcp/22 to group r]}")
	assert.Contains(t, run(t, folder, "", "check").out, "nothing is wrong")
}
