package cli

import (
	"runtime"
	"runtime/debug"
)

// Version is that of a release, which the script that builds it sets; else it is that of the module.
var Version = ""

func versionCommand() *command {
	return &command{
		name:     "version",
		short:    "which version this is, of which commit, and by which Go it was built",
		long:     "Version tells the version, the commit that it was built of, and the version of Go that built it.",
		examples: []example{{"wendrik version", "all three"}},
		setup: func(f *flags) func(c *call) (int, error) {
			format := f.oneOf("format", "how to write it", "text", "json")
			return func(c *call) (int, error) {
				if err := c.noArguments("version", ""); err != nil {
					return cannot, err
				}
				v := builtAs()
				if *format == "json" {
					return good, c.json(v)
				}
				changed := ""
				if v.Changed {
					changed = ", with changes since"
				}
				c.say("wendrik %s\ncommit %s%s\n%s on %s", v.Version, v.Commit, changed, v.Go, v.Platform)
				return good, nil
			}
		},
	}
}

// versionOut is what a program is; docs/json.md describes it.
type versionOut struct {
	Version  string `json:"version"`
	Commit   string `json:"commit"`
	Changed  bool   `json:"changed"`
	Go       string `json:"go"`
	Platform string `json:"platform"`
}

func builtAs() versionOut {
	v := versionOut{Version: Version, Commit: "unknown", Go: runtime.Version(), Platform: runtime.GOOS + "/" + runtime.GOARCH}
	if info, ok := debug.ReadBuildInfo(); ok {
		if v.Version == "" {
			v.Version = info.Main.Version
		}
		for _, s := range info.Settings {
			switch s.Key {
			case "vcs.revision":
				v.Commit = s.Value
			case "vcs.modified":
				v.Changed = s.Value == "true"
			}
		}
	}
	if v.Version == "" {
		v.Version = "unreleased"
	}
	return v
}
