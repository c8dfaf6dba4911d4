package plan

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"

	"go.yaml.in/yaml/v4"
	"go.yaml.in/yaml/v4/plugin/loaderlimits"
)

// maxDepth is how deep a text may nest; a plan needs eight levels.
const maxDepth = 40

// parseYAML makes the node tree of the one document of src; nil, and no finding, when the text is empty.
func parseYAML(src *Source) (*yaml.Node, *Finding) {
	text, masked := maskColons(src.Text)
	loader, err := yaml.NewLoader(bytes.NewReader(text), yaml.WithUniqueKeys(false),
		yaml.WithPlugin(loaderlimits.New(loaderlimits.DepthValue(maxDepth))))
	if err != nil {
		return nil, explainYAML(src, err)
	}
	var doc, second yaml.Node
	if err := loader.Load(&doc); err == io.EOF {
		return nil, nil
	} else if err != nil {
		return nil, explainYAML(src, err)
	}
	switch err := loader.Load(&second); {
	case err == nil:
		return nil, &Finding{Code: "several-documents", At: Pos{int32(second.Line), int32(second.Column)},
			Message: "a second document starts here, and a plan is one document", Fix: "give each plan a file of its own"}
	case err != io.EOF:
		return nil, explainYAML(src, err)
	}
	if len(doc.Content) == 0 {
		return nil, nil
	}
	if masked {
		unmask(doc.Content[0])
	}
	return doc.Content[0], nil
}

// A plain "::/0" inside {} or [] is YAML 1.2 (section 7.3.3), but the library takes its first colon for a sign. So
// that colon goes in as a private character of the same column, and comes back as a colon afterwards.
var colons = regexp.MustCompile(`([\s,\[{])::`)

const mask = "\ue000"

func maskColons(text []byte) ([]byte, bool) {
	if !bytes.Contains(text, []byte(" ::")) || bytes.Contains(text, []byte(mask)) {
		return text, false
	}
	return colons.ReplaceAll(text, []byte("${1}"+mask+":")), true
}

func unmask(n *yaml.Node) {
	n.Value = strings.ReplaceAll(n.Value, mask, ":")
	for _, c := range n.Content {
		unmask(c)
	}
}

// yamlProblems turns the library's messages into sentences for a person who edits a plan.
var yamlProblems = []struct{ said, message, fix string }{
	{"mapping values are not allowed", "a second \"key: value\" starts in the middle of a value",
		"check the indentation of this line and the one above; put a text with \": \" in quotes"},
	{"did not find expected key", "this line does not line up with the keys above it",
		"indent it like its neighbours, or close the bracket or quote before it"},
	{"did not find expected ',' or ']'", "a list that starts with [ is not closed before this place", "close it with ]"},
	{"did not find expected ',' or '}'", "a mapping that starts with { is not closed before this place", "close it with }"},
	{"did not find expected node content", "a value is missing here", "write the value, or remove the comma or bracket"},
	{"found unexpected end of stream", "a quote is opened and never closed", "close the quote"},
	{"tab character", "a tab stands where YAML takes only spaces", "indent with spaces"},
	{"could not find expected ':'", "this line is no \"key: value\"", "add the colon, or indent it as part of the line above"},
	{"did not find expected '-' indicator", "this line stands among list entries and does not start with a dash",
		"start it with \"- \" or indent it as part of the entry above"},
	{"block sequence entries are not allowed", "a list entry starts in the middle of a line", "put the \"- \" on a line of its own"},
	{"unknown anchor", "this alias names an anchor that is not defined above it", "define it with & first, or write the value out"},
	{"unknown escape", "the text in double quotes has an escape that YAML does not know", "double the backslash, or use single quotes"},
	{"exceeded max depth", fmt.Sprintf("the text nests deeper than %d levels", maxDepth), "a plan needs eight levels at most"},
	{"<document start>", "something follows after the end of the plan", "remove it, or indent it to where it belongs"},
}

// explainYAML makes a finding of an error of the YAML library.
func explainYAML(src *Source, err error) *Finding {
	f := Finding{Code: "not-yaml", Message: "the text is not YAML: " + err.Error()}
	var load *yaml.LoadError
	if !errors.As(err, &load) {
		return &f
	}
	f.At = Pos{int32(load.Mark.Line), int32(load.Mark.Column)}
	f.Message = "the text is not YAML: " + load.Message
	for _, p := range yamlProblems {
		if strings.Contains(load.Message, p.said) {
			f.Message, f.Fix = p.message, p.fix
		}
	}
	switch {
	case strings.Contains(load.Message, "end of stream"), strings.Contains(load.Message, "could not find expected ':'"):
		// The library notices at the end; the start of the thing is what a person must look at.
		f.At = Pos{int32(load.ContextMark.Line), int32(load.ContextMark.Column)}
	case strings.Contains(load.Message, "cannot start any token"):
		f.Message, f.Fix = badStart(src, f.At)
	}
	if int(f.At.Line) > len(src.line) {
		f.At = src.position(len(src.Text)) // the library counts a line behind a last one without an end
	}
	return &f
}

// badStart says why no value can start with the character at a place.
func badStart(src *Source, at Pos) (message, fix string) {
	if rest := src.Text[src.offset(at):]; len(rest) > 0 && rest[0] != '\t' {
		return fmt.Sprintf("no value can start with %q", rest[0]), "put the value in quotes"
	}
	return "a tab stands where YAML takes only spaces", "indent with spaces"
}
