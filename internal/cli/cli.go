// Package cli is the face of wendrik: commands, flags, tables and colour. Everything that is computed comes from the
// packages under core.
package cli

import (
	"errors"
	"flag"
	"fmt"
	"io"
	"regexp"
	"slices"
	"strings"
	"syscall"

	"wendrik/internal/core/diag"
	"wendrik/internal/core/phrase"
	"wendrik/internal/core/plan"
	"wendrik/internal/session"
)

// The exit statuses.
const (
	good   = 0 // the answer is good
	no     = 1 // the answer is no, or there are findings
	cannot = 2 // it could not be asked
)

// A command answers one question of the day's work. The table of commands is the help.
type command struct {
	name     string
	args     string // what stands behind the name in the usage line
	short    string // one line, for the list of commands
	long     string // a paragraph, for help
	examples []example
	// setup defines the flags, and gives the function that runs the command with them.
	setup func(f *flags) func(c *call) (int, error)
}

// example is a command line that runs as it stands on the demo estate, and what it is for.
type example struct{ line, what string }

// call is one run of a command.
type call struct {
	*screen
	args []string // what is left when the flags are taken out
}

// noArguments is the mistake of giving arguments to a command that takes none; nil when there are none.
func (c *call) noArguments(command, fix string) error {
	if len(c.args) == 0 {
		return nil
	}
	return &usageError{fmt.Sprintf("%s takes no arguments, and %q is one", command, c.args[0]), fix}
}

// group is the commands of a part of the work.
type group struct {
	title    string
	commands []*command
}

// groups are the commands in the order of the day's work.
func groups() []group {
	return []group{
		{"to begin", []*command{newCommand(), demoCommand()}},
		{"address space", []*command{blockCommand(), spaceCommand(), forecastCommand(), carveCommand(), growCommand(), renumberCommand(), overlapsCommand(), claimCommand(), releaseCommand(), claimsCommand()}},
		{"routes, rules and joins", []*command{wireCommand(), joinCommand(), cutCommand(), renameCommand()}},
		{"questions", []*command{reachCommand(), gridCommand(), checkCommand(), outageCommand(), showCommand()}},
		{"changes", []*command{compareCommand(), stepsCommand(), rehearseCommand()}},
		{"to show", []*command{drawCommand(), reportCommand(), exportCommand()}},
		{"at a cloud", []*command{cloudCommand(), buildCommand(), driftCommand(), adoptCommand(), driverCommand()}},
		{"the program", []*command{languageServerCommand(), completionCommand(), versionCommand(), helpCommand()}},
	}
}

// commands are those of all groups.
func commands() []*command {
	var all []*command
	for _, g := range groups() {
		all = append(all, g.commands...)
	}
	return all
}

func commandNamed(name string) *command {
	for _, c := range commands() {
		if c.name == name {
			return c
		}
	}
	return nil
}

// unknownCommand says that there is no such command, and which one may be meant; before stands before its name in what
// would be right.
func unknownCommand(name, before string) *usageError {
	var known []string
	for _, k := range commands() {
		known = append(known, k.name)
	}
	fix := "wendrik help  lists the commands"
	if near := diag.Nearest(strings.ToLower(name), known); near != "" {
		fix = fmt.Sprintf("did you mean  %s%s?", before, near)
	}
	return &usageError{fmt.Sprintf("there is no command %q", phrase.Clip(name)), fix}
}

// A usageError is a mistake in the command line.
type usageError struct{ message, fix string }

func (e *usageError) Error() string { return e.message }

// errSaid is an error whose cause has been told already.
var errSaid = errors.New("said")

// Main runs the program with its arguments, and returns its exit status.
func Main(args []string, stdin io.Reader, stdout, stderr io.Writer) int {
	s := newScreen(stdin, stdout, stderr)
	if len(args) == 0 {
		writeOverview(s.err, s)
		return cannot
	}
	name := args[0]
	if name == "-h" || name == "-help" || name == "--help" {
		name = "help"
	}
	if name == "-version" || name == "--version" {
		name = "version"
	}
	c := commandNamed(name)
	if name == "complete" {
		c = completeCommand()
	}
	if c == nil {
		e := unknownCommand(name, "wendrik ")
		s.complain(e.message, e.fix)
		return cannot
	}
	return s.run(c, args[1:])
}

// run runs one command.
func (s *screen) run(c *command, args []string) int {
	f := newFlags(c)
	run := c.setup(f)
	rest, err := f.parse(args)
	if errors.Is(err, flag.ErrHelp) {
		writeHelp(s.out, s, c)
		if s.out.lost != nil {
			return s.unwritten()
		}
		return good
	}
	status := cannot
	if err == nil {
		status, err = run(&call{s, rest})
	}
	if s.out.lost != nil {
		return s.unwritten()
	}
	var usage *usageError
	switch {
	case err == nil:
		return status
	case errors.Is(err, errSaid):
	case errors.As(err, &usage):
		fix := usage.fix
		if fix == "" {
			fix = "wendrik help " + c.name
		}
		s.complain(usage.message, fix)
	default:
		s.complain(err.Error(), "")
	}
	return cannot
}

// unwritten says that the answer is not all there, but for a reader who has gone away.
func (s *screen) unwritten() int {
	if !errors.Is(s.out.lost, syscall.EPIPE) {
		s.complain("the answer could not be written in full: "+session.Reason(s.out.lost), "what was written of it is not to be used")
	}
	return cannot
}

// flags are the flags of a command, which may stand before or after its arguments.
type flags struct {
	*flag.FlagSet
	command *command
	choices map[string][]string // the words that a flag takes one of
	rules   []func() error      // what may be given with what
}

func newFlags(c *command) *flags {
	f := &flags{FlagSet: flag.NewFlagSet(c.name, flag.ContinueOnError), command: c}
	f.SetOutput(io.Discard)
	return f
}

// parse takes the flags out of the arguments. Behind "--" everything is an argument.
func (f *flags) parse(args []string) (rest []string, err error) {
	for {
		if err := f.Parse(args); err != nil {
			return nil, f.explain(err)
		}
		left := f.Args()
		if len(left) == 0 {
			return rest, f.consistent()
		}
		if taken := len(args) - len(left); taken > 0 && args[taken-1] == "--" {
			return append(rest, left...), f.consistent()
		}
		rest = append(rest, left[0])
		args = left[1:]
	}
}

// consistent says which flag that was given would have no effect beside the others.
func (f *flags) consistent() error {
	for _, rule := range f.rules {
		if err := rule(); err != nil {
			return err
		}
	}
	return nil
}

// apart has at most one of some flags given.
func (f *flags) apart(names ...string) {
	f.rules = append(f.rules, func() error {
		var given []string
		for _, n := range names {
			if f.given(n) {
				given = append(given, "-"+n)
			}
		}
		if len(given) < 2 {
			return nil
		}
		return &usageError{phrase.And(given) + " do not go together", "give one of them"}
	})
}

// onlyWith has a flag given only beside one of some others.
func (f *flags) onlyWith(name string, others ...string) {
	f.rules = append(f.rules, func() error {
		if !f.given(name) || slices.ContainsFunc(others, f.given) {
			return nil
		}
		var wanted []string
		for _, o := range others {
			wanted = append(wanted, "-"+o)
		}
		return &usageError{fmt.Sprintf("-%s has no effect without %s", name, strings.Join(wanted, " or ")), ""}
	})
}

// breaksFlag lets a command write what breaks a line that says never.
func (f *flags) breaksFlag() *bool {
	b := f.Bool("breaks", false, "with -write: write it, although it breaks a line of expect that holds")
	f.onlyWith("breaks", "write")
	return b
}

// keeps refuses to write what breaks lines that say never, unless a person has said that it may.
func keeps(broken []plan.Expectation, breaks bool) error {
	if len(broken) == 0 || breaks {
		return nil
	}
	return &usageError{fmt.Sprintf("nothing was written, because it would break %s", clean(phrase.Names(broken, func(x plan.Expectation) string { return fmt.Sprintf("%q", x.Text) }))), "take the line out, or say  -breaks  to write it all the same"}
}

// onlyAsText has some flags given only where the result is text.
func (f *flags) onlyAsText(format *string, names ...string) {
	f.rules = append(f.rules, func() error {
		for _, n := range names {
			if f.given(n) && *format != "text" {
				return &usageError{fmt.Sprintf("-%s has no effect with -format %s", n, *format), "leave one of them out"}
			}
		}
		return nil
	})
}

// atLeastOne has a flag with a number given from 1 on.
func (f *flags) atLeastOne(name string, value *int) {
	f.rules = append(f.rules, func() error {
		if *value >= 1 || !f.given(name) {
			return nil
		}
		return &usageError{fmt.Sprintf("-%s takes a number from 1, not %d", name, *value), ""}
	})
}

// given reports whether a flag was set on the command line.
func (f *flags) given(name string) bool {
	found := false
	f.Visit(func(x *flag.Flag) { found = found || x.Name == name })
	return found
}

// explain makes a sentence of an error of the flag package.
func (f *flags) explain(err error) error {
	if errors.Is(err, flag.ErrHelp) {
		return err
	}
	text := err.Error()
	if name, found := strings.CutPrefix(text, "flag provided but not defined: -"); found {
		var known []string
		f.VisitAll(func(x *flag.Flag) { known = append(known, x.Name) })
		e := &usageError{fmt.Sprintf("%s has no flag -%s", f.command.name, name), ""}
		if near := diag.Nearest(name, known); near != "" {
			e.fix = fmt.Sprintf("did you mean -%s?", near)
		}
		return e
	}
	if name, found := strings.CutPrefix(text, "flag needs an argument: -"); found {
		return &usageError{fmt.Sprintf("the flag -%s needs a value behind it", name), ""}
	}
	if bad := badFlagValue.FindStringSubmatch(text); bad != nil {
		value, name, why := bad[1], bad[2], bad[3]
		if what := flagKind(f.Lookup(name)); what != "" {
			why = "it takes " + what
		}
		return &usageError{fmt.Sprintf("-%s cannot be %s: %s", name, phrase.Clip(value), why), ""}
	}
	return &usageError{text, ""}
}

// badFlagValue is what the flag package says of a value that a flag does not take.
var badFlagValue = regexp.MustCompile(`^invalid (?:boolean )?value (".*") for (?:flag )?-([\w-]+): (.*)$`)

// flagKind says what a flag takes that is a number or a switch.
func flagKind(f *flag.Flag) string {
	if f == nil {
		return ""
	}
	get, is := f.Value.(flag.Getter)
	if !is {
		return ""
	}
	switch get.Get().(type) {
	case int:
		return "a whole number"
	case bool:
		return "true or false, or no value at all"
	}
	return ""
}

// oneOf defines a flag that takes one of a few words.
func (f *flags) oneOf(name, usage string, words ...string) *string {
	value := words[0]
	if f.choices == nil {
		f.choices = map[string][]string{}
	}
	f.choices[name] = words
	f.Func(name, fmt.Sprintf("`%s` %s; %s unless given", strings.Join(words, "|"), usage, words[0]), func(s string) error {
		for _, w := range words {
			if s == w {
				value = s
				return nil
			}
		}
		return fmt.Errorf("it takes %s", strings.Join(words, ", "))
	})
	return &value
}
