package cli

import (
	"flag"
	"fmt"
	"io"
	"strings"
)

func helpCommand() *command {
	return &command{
		name: "help", args: "[COMMAND]",
		short: "says what there is, or all about one command",
		long:  "Help lists the commands in the order of the day's work. With the name of one it says what that does, its flags, and examples that run as they stand on the demo estate.",
		examples: []example{
			{"wendrik help", "all commands"},
			{"wendrik help reach", "one of them"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			return func(c *call) (int, error) {
				switch {
				case len(c.args) == 0:
					writeOverview(c.out, c.screen)
					return good, nil
				case len(c.args) > 1:
					return cannot, &usageError{"help takes the name of one command", "wendrik help  lists them"}
				}
				about := commandNamed(c.args[0])
				if about == nil {
					return cannot, unknownCommand(c.args[0], "wendrik help ")
				}
				writeHelp(c.out, c.screen, about)
				return good, nil
			}
		},
	}
}

func writeOverview(to io.Writer, s *screen) {
	w := &strings.Builder{}
	defer func() { _, _ = io.WriteString(to, s.fit(w.String())) }()
	fmt.Fprintf(w, "%s\n\n", s.wrap(0, strong.Sprint("wendrik")+" plans the private networks of an organisation, and says who reaches whom in them."))
	for _, c := range commands() {
		fmt.Fprintf(w, "  %s %s\n", strong.Sprintf("%-10s", c.name), s.wrap(13, c.short))
	}
	fmt.Fprintf(w, "\n%s\n%s\n\nstart with   wendrik demo\nabout one    wendrik help COMMAND\n",
		s.wrap(0, "It reads wendrik.yaml in this folder; -plan FILE names another."),
		s.wrap(0, "The exit status is 0 when the answer is good, 1 when it is no or there are findings, and 2 when it could not be asked."))
}

func writeHelp(to io.Writer, s *screen, c *command) {
	w := &strings.Builder{}
	defer func() { _, _ = io.WriteString(to, s.fit(w.String())) }()
	usage := "wendrik " + c.name
	f := newFlags(c)
	c.setup(f)
	var lines []string
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
		lines = append(lines, fmt.Sprintf("  %s\n      %s\n", strong.Sprint(name), s.wrap(6, about)))
	})
	if len(lines) > 0 {
		usage += " [flags]"
	}
	if c.args != "" {
		usage += " " + c.args
	}
	fmt.Fprintf(w, "%s\n\n%s\n", strong.Sprint(usage), s.wrap(0, c.long))
	if len(lines) > 0 {
		fmt.Fprintf(w, "\nFlags, before or after the arguments:\n%s", strings.Join(lines, ""))
	}
	fmt.Fprint(w, "\nExamples, in the folder of the demo estate:\n")
	for _, x := range c.examples {
		fmt.Fprintf(w, "  %s\n      %s\n", strong.Sprint(x.line), x.what)
	}
}
