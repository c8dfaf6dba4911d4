package text

import (
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

// maxRoot is up to what size of a text the library's tree of it is kept: it takes some hundred times the room.
const maxRoot = 1 << 20

func (f *File) keepRoot(root *yaml.Node) {
	if len(f.Text) <= maxRoot {
		f.root = root
	}
}

// own is the library's tree of the file, for somebody who changes it.
func (f *File) own() (*yaml.Node, *Problem) {
	if f.root == nil {
		root, problem := f.parse()
		if problem != nil || root == nil {
			return root, problem
		}
		if f.keepRoot(root); f.root == nil {
			return root, nil
		}
	}
	return copied(f.root, map[*yaml.Node]*yaml.Node{}), nil
}

// copied is a copy of a tree; known are the nodes that have one already, for those that aliases stand for.
func copied(n *yaml.Node, known map[*yaml.Node]*yaml.Node) *yaml.Node {
	x := *n
	if n.Anchor != "" {
		known[n] = &x
	}
	if n.Alias != nil {
		x.Alias = known[n.Alias]
	}
	if n.Content != nil {
		x.Content = make([]*yaml.Node, len(n.Content))
		for i, c := range n.Content {
			x.Content[i] = copied(c, known)
		}
	}
	return &x
}

// parse makes the library's node tree of the one document of the file; nil, and no problem, when the text is empty.
func (f *File) parse() (*yaml.Node, *Problem) {
	root, second, err := load(f.Text, maxDepth)
	switch {
	case err != nil:
		return nil, f.explain(err)
	case second != nil:
		return nil, &Problem{Code: "several-documents", At: f.At(second.Line, second.Column),
			Message: "a second document starts here, and a plan is one document", Fix: "give each plan a file of its own"}
	}
	return root, nil
}

// load reads a text with the library. Second is a second document, when there is one.
func load(text string, depth int) (root, second *yaml.Node, err error) {
	loader, err := yaml.NewLoader(strings.NewReader(hideDirective(text)), yaml.WithUniqueKeys(false),
		yaml.WithPlugin(loaderlimits.New(loaderlimits.DepthValue(depth))))
	if err != nil {
		return nil, nil, err
	}
	var doc, next yaml.Node
	if err := loader.Load(&doc); err == io.EOF {
		return nil, nil, nil
	} else if err != nil {
		return nil, nil, err
	}
	if err := loader.Load(&next); err == nil {
		return nil, &next, nil
	} else if err != io.EOF {
		return nil, nil, err
	}
	if len(doc.Content) == 0 {
		return nil, nil, nil
	}
	return doc.Content[0], nil, nil
}

// directive is the line that says which YAML a text is (YAML 1.2 section 6.8.1). The library knows that of YAML 1.1 alone.
var directive = regexp.MustCompile(`^(\x{feff}?(?:[ \t]*(?:#[^\n]*)?\r?\n)*)%YAML[ \t]+1\.2([ \t]|\r?\n)`)

// hideDirective makes a remark of a line that says that the text is YAML 1.2.
func hideDirective(text string) string {
	if at := strings.IndexByte(text, '%'); at < 0 || !strings.HasPrefix(text[at:], "%YAML") {
		return text
	}
	return directive.ReplaceAllString(text, "${1}#YAML 1.2${2}")
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
	{"mapping keys are not allowed", "a \"? key\" starts in the middle of a value", "write  key: value  on a line of its own"},
	{"comment without preceding whitespace", "a remark starts right behind a value", "put a space before the #"},
	{"comment or line break", "something stands behind the sign | or > that starts a text", "start the text on the next line"},
	{"whitespace or line break", "a sign such as ! or & is not followed by a space", "put a space behind it, or the value in quotes"},
	{"indentation indicator", "the number behind | or > is not from 1 to 9", "leave it out"},
	{"tabs in indentation", "tabs and spaces are mixed before this line", "indent with spaces alone"},
	{"alphabetic or numeric character", "the name behind & or * is missing, or has a character that it cannot have", "write a name of letters and digits, or put the value in quotes"},
	{"expected '!'", "a tag is not closed", "take it out: a plan has no tags"},
	{"expected '>'", "a tag is not closed", "take it out: a plan has no tags"},
	{"tag URI", "a tag is not whole", "take it out: a plan has no tags"},
	{"URI escaped", "a tag is not whole", "take it out: a plan has no tags"},
	{"did not find expected whitespace", "a line that starts with % is not whole", "take it out: a plan has no tags"},
	{"hexadecimal", "the escape with \\x or \\u in this text lacks digits", "double the backslash, or use single quotes"},
	{"%YAML directive", "the line that says %YAML stands twice, or is not whole", "write  %YAML 1.2,  or take it out"},
	{"%TAG directive", "the line that says %TAG is not whole", "take it out: a plan has no tags"},
	{"undefined tag handle", "a tag starts with a word that no line declares", "take it out: a plan has no tags"},
	{"incompatible YAML document", "the first line says another version of YAML than 1.2", "write  %YAML 1.2,  or take the line out"},
	{"exceeded max depth", fmt.Sprintf("the text nests deeper than %d levels", maxDepth), "a plan needs eight levels at most"},
	{"<document start>", "something follows after the end of the plan", "remove it, or indent it to where it belongs"},
}

// explain makes a problem of an error of the YAML library.
func (f *File) explain(err error) *Problem {
	p := Problem{Code: "not-yaml", Message: "from here on the text cannot be read as YAML", Fix: "check the brackets, quotes and indentation of this line and the one above"}
	var load *yaml.LoadError
	if !errors.As(err, &load) {
		return &p
	}
	line, column := load.Mark.Line, load.Mark.Column
	for _, known := range yamlProblems {
		if strings.Contains(load.Message, known.said) {
			p.Message, p.Fix = known.message, known.fix
		}
	}
	switch {
	case strings.Contains(load.Message, "end of stream"), strings.Contains(load.Message, "could not find expected ':'"):
		// The library notices at the end; the start of the thing is what a person must look at.
		line, column = load.ContextMark.Line, load.ContextMark.Column
	case strings.Contains(load.Message, "incompatible YAML") && directive.MatchString(f.Line(line)+"\n"):
		p.Message, p.Fix = "the line that says %YAML stands twice", "keep one of the two"
	case strings.Contains(load.Message, "cannot start any token"):
		p.Message, p.Fix = f.badStart(line, column)
	}
	if line < 1 {
		return &p
	}
	p.At = f.At(line, column)
	if line > len(f.lines()) {
		p.At = f.Position(len(f.Text)) // the library counts a line behind a last one without an end
	}
	return &p
}

// badStart says why no value can start with the character at a place.
func (f *File) badStart(line, column int) (message, fix string) {
	if rest := f.Text[f.offset(line, column):]; len(rest) > 0 && rest[0] != '\t' {
		return fmt.Sprintf("no value can start with %q", rest[0]), "put the value in quotes"
	}
	return "a tab stands where YAML takes only spaces", "indent with spaces"
}
