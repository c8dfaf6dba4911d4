package cli

import (
	"flag"
	"fmt"
	"slices"
	"strings"

	"wendrik/internal/core/check"
	"wendrik/internal/core/estate"
	"wendrik/internal/export"
)

// The scripts ask the program itself what may come next, so that they know names out of the plan, too.
var completions = map[string]string{
	"bash": `# bash completion for wendrik:  source <(wendrik completion bash)
_wendrik() {
	local IFS=$'\n'
	COMPREPLY=($(wendrik complete -- "${COMP_WORDS[@]:1:COMP_CWORD}" 2>/dev/null))
	[ ${#COMPREPLY[@]} -gt 0 ] || compopt -o default
}
COMP_WORDBREAKS=${COMP_WORDBREAKS//:/}
complete -F _wendrik wendrik
`,
	"zsh": `#compdef wendrik
# zsh completion for wendrik:  source <(wendrik completion zsh)
_wendrik() {
	local -a all
	all=("${(@f)$(wendrik complete -- "${(@)words[2,CURRENT]}" 2>/dev/null)}")
	if [[ -n "${all[1]}" ]]; then compadd -Q -- $all; else _files; fi
}
compdef _wendrik wendrik
`,
	"fish": `# fish completion for wendrik:  wendrik completion fish | source
function __wendrik
	set -l words (commandline -opc) (commandline -ct)
	wendrik complete -- $words[2..-1] 2>/dev/null
end
complete -c wendrik -f -a '(__wendrik)'
complete -c wendrik -n 'not string length -q -- (__wendrik)' -F
`,
}

func completionCommand() *command {
	return &command{
		name: "completion", args: "SHELL",
		short: "completion of commands, flags and names for bash, zsh and fish",
		long: "Completion writes a script for a shell, by which it completes commands, flags, the words that flags take, and names out of the plan in this folder. " +
			"It is read at the start of a shell:  source <(wendrik completion bash),  the same for zsh,  and  wendrik completion fish | source.",
		examples: []example{
			{"wendrik completion bash", "the script for bash"},
			{"wendrik completion fish", "the script for fish"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			return func(c *call) (int, error) {
				script := ""
				if len(c.args) == 1 {
					script = completions[c.args[0]]
				}
				if script == "" {
					return cannot, &usageError{"completion takes the name of a shell", "wendrik completion bash, zsh or fish"}
				}
				_, err := c.out.Write([]byte(script))
				return good, err
			}
		},
	}
}

// completeCommand is what the scripts call: it is not among the commands that are told.
func completeCommand() *command {
	return &command{
		name: "complete", args: "-- WORDS...",
		setup: func(f *flags) func(c *call) (int, error) {
			return func(c *call) (int, error) {
				for _, word := range c.complete(c.args) {
					c.say("%s", word)
				}
				return good, nil
			}
		},
	}
}

// maxOffered is how many words are offered at most.
const maxOffered = 500

// complete gives the words that the last of some may become.
func (c *call) complete(words []string) []string {
	if len(words) == 0 {
		words = []string{""}
	}
	last := words[len(words)-1]
	var offered []string
	if len(words) == 1 {
		for _, k := range commands() {
			offered = append(offered, k.name)
		}
	} else if k := commandNamed(words[0]); k != nil {
		offered = c.offered(k, words[1:len(words)-1], last)
	}
	var fit []string
	for _, w := range offered { // only what no shell takes for more than a word: a text of a stranger may have anything in the place of names
		if strings.HasPrefix(w, last) && !slices.Contains(fit, w) && plainWord.MatchString(w) && w[0] != '=' {
			if fit = append(fit, w); len(fit) == maxOffered {
				break
			}
		}
	}
	slices.Sort(fit)
	return fit
}

// offered are the words that may come behind those of a command.
func (c *call) offered(k *command, before []string, last string) []string {
	f := newFlags(k)
	k.setup(f)
	plan := "wendrik.yaml"
	var args []string
	for i := 0; i < len(before); i++ {
		name, isFlag := strings.CutPrefix(before[i], "-")
		if !isFlag {
			args = append(args, before[i])
			continue
		}
		if x := f.Lookup(name); x != nil && takesValue(x) {
			if i+1 == len(before) { // the word is what the flag takes
				return c.values(f, x, plan)
			}
			if i++; name == "plan" {
				plan = before[i]
			}
		}
	}
	if strings.HasPrefix(last, "-") {
		var all []string
		f.VisitAll(func(x *flag.Flag) { all = append(all, "-"+x.Name) })
		return all
	}
	switch k.name {
	case "help":
		var all []string
		for _, o := range commands() {
			all = append(all, o.name)
		}
		if len(args) == 1 && args[0] == "rules" {
			return codes()
		}
		return append(all, "plan", "rules", "assurances")
	case "completion":
		return []string{"bash", "zsh", "fish"}
	case "demo", "compare", "steps", "new", "block":
		return nil // files and ranges
	case "draw":
		if len(args) == 0 {
			return []string{"estate", "network", "space", "reach", "grid", "change"}
		}
		if args[0] == "change" {
			return nil
		}
	case "export":
		if len(args) == 0 {
			var all []string
			for _, x := range forms {
				all = append(all, x.name)
			}
			return all
		}
		if args[0] == "values" {
			var all []string
			if o, err := c.quietly(plan); err == nil {
				for _, v := range export.Values(o.Estate) {
					all = append(all, v.Name())
				}
			}
			return all
		}
	}
	if k.args == "" {
		return nil
	}
	return c.names(plan)
}

func takesValue(x *flag.Flag) bool {
	b, is := x.Value.(interface{ IsBoolFlag() bool })
	return !is || !b.IsBoolFlag()
}

// values are what a flag takes: one of some words, a name of the plan, or nothing that is known.
func (c *call) values(f *flags, x *flag.Flag, plan string) []string {
	if words := f.choices[x.Name]; words != nil {
		return words
	}
	switch x.Name {
	case "in", "from", "to", "of":
		return c.names(plan)
	case "only":
		if f.command.name == "check" {
			return append([]string{"all", "errors", "expect"}, codes()...)
		}
		return c.names(plan)
	}
	return nil
}

func codes() []string {
	var all []string
	for _, r := range check.Rules {
		all = append(all, string(r.Code))
	}
	return all
}

// quietly opens a plan, and tells nobody what is wrong with it.
func (c *call) quietly(plan string) (*opened, error) {
	if plan == "-" {
		return nil, fmt.Errorf("standard input is not read for this")
	}
	return c.open(plan)
}

// names are those of all things of the plan that questions can be about.
func (c *call) names(plan string) []string {
	all := []string{"internet"}
	o, err := c.quietly(plan)
	if err != nil {
		return all
	}
	for _, n := range o.Networks {
		all = append(all, n.Name)
		for _, t := range n.Tiers {
			all = append(all, n.Name+"/"+t.Name)
		}
		for _, s := range n.Subnets {
			all = append(all, s.ID())
		}
	}
	add := func(x estate.Object) { all = append(all, x.ID()) }
	for _, x := range o.Workloads {
		add(x)
	}
	for _, x := range o.Sites {
		add(x)
	}
	for _, x := range o.Hubs {
		add(x)
	}
	for _, x := range o.Peerings {
		add(x)
	}
	for _, x := range o.Blocks {
		add(x)
	}
	return all
}
