package cli

import (
	"context"
	"embed"
	"fmt"
	"io"
	"os/signal"
	"strings"
	"syscall"

	"wendrik/internal/core/phrase"
	"wendrik/internal/editor"
)

// editors are what the settings of editors need, a file each.
//
//go:embed editors/*.txt
var editors embed.FS

func languageServerCommand() *command {
	return &command{
		name:  "language-server",
		short: "the plan in your editor, while you type",
		long: "Language-server speaks the Language Server Protocol 3.17 on its standard streams: an editor starts it, not a person. " +
			"It marks what check finds, in all files of the plan, saved or not; offers keys, names, free ranges and flows; tells what stands at the cursor; " +
			"finds and renames what a word names; offers fixes, wiring and carving, each with what it opens and closes; and runs reach, draw and rehearse on the plan as it stands in the editor. " +
			"It writes nothing itself, and reads nothing but the files of the plan. docs/editors.md has how editors are set up.",
		examples: []example{
			{"wendrik language-server -setup neovim", "what to put into an editor's settings, so that it starts the server for plans"},
		},
		setup: func(f *flags) func(c *call) (int, error) {
			setup := f.String("setup", "", "print what the settings of `EDITOR` need, and do nothing else: neovim, emacs or kate")
			return func(c *call) (int, error) {
				if err := c.noArguments("language-server", "wendrik language-server"); err != nil {
					return cannot, err
				}
				if f.given("setup") {
					raw, err := editors.ReadFile("editors/" + *setup + ".txt")
					if err != nil {
						return cannot, &usageError{fmt.Sprintf("no settings are known of an editor %q", phrase.Clip(*setup)), "it takes neovim, emacs or kate; docs/editors.md says what any other needs"}
					}
					c.say("%s", strings.TrimRight(string(raw), "\n"))
					return good, nil
				}
				ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
				defer stop()
				if err := editor.Serve(ctx, builtAs().Version, c.in, unclosed{c.out}); err != nil && ctx.Err() == nil {
					return no, nil // as the protocol has it where the editor went without a word
				}
				return good, nil
			}
		},
	}
}

// unclosed is a stream that is not closed by who writes to it.
type unclosed struct{ io.Writer }

func (unclosed) Close() error { return nil }
