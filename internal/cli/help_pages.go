package cli

import (
	"flag"
	"fmt"
	"strings"

	"wendrik/internal/core/check"
)

// This file writes what help says as pages: one of Markdown for each command, one for the rules, and a page of the manual.

// option is a flag as help tells it.
type option struct{ name, about string }

// optionsOf are the flags of a command.
func optionsOf(c *command) []option {
	f := newFlags(c)
	c.setup(f)
	var all []option
	f.VisitAll(func(x *flag.Flag) {
		value, about := flag.UnquoteUsage(x)
		about = strings.TrimPrefix(about, value+" ") // the name of the value stands in front, not in the sentence
		name := "-" + x.Name
		if value != "" {
			name += " " + value
		}
		if x.DefValue != "" && x.DefValue != "false" {
			about += " (" + x.DefValue + " unless given)"
		}
		all = append(all, option{name, about})
	})
	return all
}

// usageOf is how a command is typed.
func usageOf(c *command, options []option) string {
	usage := "wendrik " + c.name
	if len(options) > 0 {
		usage += " [flags]"
	}
	if c.args != "" {
		usage += " " + c.args
	}
	return usage
}

// passage is a part of what a help page says of a command: words, or a list of names with what each is.
type passage struct {
	words string
	items [][2]string
}

// passages are the parts of a text: between them is an empty line, and the lines of a list begin with two spaces.
func passages(text string) (all []passage) {
	for _, part := range strings.Split(text, "\n\n") {
		part = strings.Trim(part, "\n")
		if !strings.HasPrefix(part, "  ") {
			all = append(all, passage{words: part})
			continue
		}
		var p passage
		for line := range strings.Lines(part) {
			name, about, _ := strings.Cut(strings.TrimSpace(line), "  ")
			p.items = append(p.items, [2]string{name, strings.TrimSpace(about)})
		}
		all = append(all, p)
	}
	return all
}

// commandPage is the page of a command, in Markdown.
func commandPage(c *command) string {
	var b strings.Builder
	options := optionsOf(c)
	fmt.Fprintf(&b, "# wendrik %s\n\n`%s`\n\n", c.name, usageOf(c, options))
	for _, p := range passages(c.long) {
		if p.words != "" {
			fmt.Fprintf(&b, "%s\n\n", markdown(p.words))
			continue
		}
		for _, item := range p.items {
			fmt.Fprintf(&b, "- `%s`: %s\n", item[0], markdown(item[1]))
		}
		b.WriteString("\n")
	}
	if len(options) > 0 {
		b.WriteString("| flag | what it does |\n|---|---|\n")
		for _, o := range options {
			fmt.Fprintf(&b, "| `%s` | %s |\n", strings.ReplaceAll(o.name, "|", `\|`), strings.ReplaceAll(markdown(o.about), "|", `\|`))
		}
		b.WriteString("\n")
	}
	b.WriteString("In the folder of the demo estate:\n\n```sh\n")
	for _, x := range c.examples {
		fmt.Fprintf(&b, "%s   # %s\n", x.line, x.what)
	}
	b.WriteString("```\n")
	return b.String()
}

// rulesPage is the page of all rules of check, in Markdown.
func rulesPage() string {
	var b strings.Builder
	b.WriteString("# The rules of check\n\n`wendrik help rules CODE` tells one of them. Each has a plan in which it finds something, and one in which it does not.\n")
	for _, r := range check.Rules {
		fmt.Fprintf(&b, "\n## %s\n\n%s\n", r.Code, markdown(r.Doc))
		if x, has := check.Examples[r.Code]; has {
			fmt.Fprintf(&b, "\n```yaml\n# has it\nwendrik: 1\n%s\n```\n\n```yaml\n# has not\nwendrik: 1\n%s\n```\n", x.Breaks, x.Keeps)
		}
	}
	return b.String()
}

// manual is the page of the manual, in the words of the man macros.
func manual() string {
	var b strings.Builder
	text := func(s string) string {
		s = strings.NewReplacer(`\`, `\e`, "-", `\-`).Replace(strings.Join(strings.Fields(s), " "))
		if strings.HasPrefix(s, ".") || strings.HasPrefix(s, "'") {
			s = `\&` + s
		}
		return s
	}
	b.WriteString(".TH WENDRIK 1\n.SH NAME\nwendrik \\- plans the private networks of an organisation, and says who reaches whom in them\n.SH SYNOPSIS\n.B wendrik\nCOMMAND [flags] [arguments]\n.SH DESCRIPTION\n" +
		text("It reads wendrik.yaml in this folder; -plan FILE names another. The exit status is 0 when the answer is good, 1 when it is no or there are findings, and 2 when it could not be asked.") + "\n.SH COMMANDS\n")
	for _, c := range commands() {
		options := optionsOf(c)
		fmt.Fprintf(&b, ".SS %s\n.B %s\n", text(c.name), text(usageOf(c, options)))
		for _, p := range passages(c.long) {
			if p.words != "" {
				fmt.Fprintf(&b, ".PP\n%s\n", text(p.words))
			}
			for _, item := range p.items {
				fmt.Fprintf(&b, ".TP\n.B %s\n%s\n", text(item[0]), text(item[1]))
			}
		}
		for _, o := range options {
			fmt.Fprintf(&b, ".TP\n.B %s\n%s\n", text(o.name), text(o.about))
		}
		b.WriteString(".PP\nExamples:\n")
		for _, x := range c.examples {
			fmt.Fprintf(&b, ".TP\n.B %s\n%s\n", text(x.line), text(x.what))
		}
	}
	return b.String()
}
