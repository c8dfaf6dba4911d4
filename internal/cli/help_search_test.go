package cli_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// TestHelpFinds: who does not know what a thing is called finds it by what it is for, the fittest first.
func TestHelpFinds(t *testing.T) {
	for _, c := range []struct{ words, first, says string }{
		{"dns", "export", "wendrik export dns"},
		{"free range", "space", "the next three free ranges"},
		{"Who can reach what?", "reach", "wendrik reach"},
		{"exposed", "grid", "wendrik grid -from internet"},
		{"firewall", "", "workloads.forwards"},
		{"allocate ranges", "claim", "wendrik claim"},
		{"undo", "join", "wendrik build -undo"},
		{"zone fails", "outage", "wendrik outage -of west-a"},
		{"diagram", "draw", "pictures"},
		{"overlaps", "overlaps", "wendrik overlaps"},
		{"shadowed", "", "shadowed-rule"},
		{"growth", "grow", "networks.growth"},
	} {
		ran := run(t, t.TempDir(), "", append([]string{"help"}, strings.Fields(c.words)...)...)
		if c.words == "overlaps" { // a command that is named is told of alone
			assert.Contains(t, ran.out, "wendrik overlaps [flags]")
			continue
		}
		assert.Equal(t, 0, ran.status, "%s: %s", c.words, ran.err)
		assert.Contains(t, ran.out, c.says, c.words)
		if c.first != "" {
			lines := strings.Split(ran.out, "\n")
			assert.Equal(t, "commands", lines[0], c.words)
			assert.Equal(t, c.first, strings.Fields(lines[1])[0], "%s:\n%s", c.words, ran.out)
		}
		assert.LessOrEqual(t, strings.Count(ran.out, "\n"), 60, "%s: one screen", c.words)
	}
	ran := run(t, t.TempDir(), "", "help", "purple", "ranges")
	assert.Equal(t, 2, ran.status)
	assert.Empty(t, ran.out)
	assert.Contains(t, ran.err, `nothing here has to do with all of "purple ranges"`)
	ran = run(t, t.TempDir(), "", "help", "raech")
	assert.Equal(t, 2, ran.status)
	assert.Contains(t, ran.err, "did you mean  wendrik help reach?")
	ran = run(t, t.TempDir(), "", "help", "who", "is", "it")
	assert.Equal(t, 2, ran.status, "words that say nothing: %s", ran.err)
}

// TestHelpOfKeys: a key is found by its name alone, in the singular and the plural, and where it stands at several places these are told.
func TestHelpOfKeys(t *testing.T) {
	for name, says := range map[string]string{
		"forward": "workloads.forwards", "listens": "workloads.listens", "knows": "sites.knows", "tier": "wendrik help plan networks.tiers\n  wendrik help plan networks.subnets.tier",
		"workload": "workloads", "only": "only is a key at 3 places:",
	} {
		ran := run(t, t.TempDir(), "", "help", "plan", name)
		assert.Equal(t, 0, ran.status, "%s: %s", name, ran.err)
		assert.Contains(t, ran.out, says, name)
	}
	ran := run(t, t.TempDir(), "", "help", "plan", "purple")
	assert.Equal(t, 2, ran.status)
	assert.Contains(t, ran.err, `a plan has no key "purple"`)
}
