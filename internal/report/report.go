// Package report writes an estate as one page of HTML that needs nothing else: no network, no server, no other file.
package report

import (
	"crypto/sha256"
	_ "embed" // the page, its style and its script are part of the program
	"encoding/base64"
	"fmt"
	"html/template"
	"io"
	"strconv"
	"strings"

	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/gofont/goregular"
)

// Page is all that stands on the page.
type Page struct {
	Title    string
	Facts    []Fact
	Estate   template.HTML // pictures, as SVG
	Space    template.HTML
	Networks []Network
	Findings []Finding
	Expect   []Line
	Outages  []Outage
	Left     []string // what is not on the page, and why
	Bill     []Charge
	Costs    []Cost
	Data     Data
	Live     bool // whether it is kept up to date by the program that serves it
}

// Fact is a number of something.
type Fact struct {
	What  string
	Count string
}

// Network is a section of its own.
type Network struct {
	Name    string
	Facts   string
	Picture template.HTML // empty where there are too many
	Tables  []string      // of them which rows are about it: the name of a table
}

// Finding is something that is wrong or doubtful, with its line.
type Finding struct{ Severity, Code, Where, Message, Fix string }

// Line is a line of expect, and what became of it.
type Line struct {
	Text, State, Why string
}

// Outage is what stops when a part fails.
type Outage struct {
	Of     string
	Gone   int
	Stops  []string
	Breaks []string
	End    string
}

// Charge is how many of a kind of thing that clouds charge for will be built; Month is what they cost, where prices are known.
type Charge struct {
	Kind  string
	Count int
	Price string // of one
	Month string
}

// Cost is what things of an owner, or with a label, cost in a month.
type Cost struct{ Of, Month string }

// Data is what the script of the page works with.
type Data struct {
	Tables []Table   `json:"tables"`
	Units  []Unit    `json:"units"`
	Kind   string    `json:"kind"`  // what a unit is
	Flows  []string  `json:"flows"` // texts that cells name by number
	Cells  [][]Group `json:"cells"` // by row: what passes from there, and to which units; only where anything does
	Ways   []Way     `json:"ways"`
	Names  [][2]any  `json:"names"` // every workload, with the number of its unit
	Most   int       `json:"most"`  // how many units the grid shows at most
	From   [][2]int  `json:"from"`  // of what the internet reaches: the unit, and what passes
	To     [][2]int  `json:"to"`    // of what reaches the internet, likewise
}

// Table is a table that can be sorted and filtered.
type Table struct {
	Name   string     `json:"name"`
	Header []string   `json:"header"`
	Rows   [][]string `json:"rows"`
	Left   int        `json:"left"` // how many rows are left out
}

// Group is units to which the same passes: the numbers of the flows that pass between all and between some, and the units, as 0-5,7.
type Group struct {
	Full, Some int
	To         []int
}

// MarshalJSON writes a group as short as may be, since a page has many.
func (g Group) MarshalJSON() ([]byte, error) {
	var to strings.Builder
	for i := 0; i < len(g.To); {
		last := i
		for last+1 < len(g.To) && g.To[last+1] == g.To[last]+1 {
			last++
		}
		if i > 0 {
			to.WriteByte(',')
		}
		to.WriteString(strconv.Itoa(g.To[i]))
		if last > i {
			to.WriteString("-" + strconv.Itoa(g.To[last]))
		}
		i = last + 1
	}
	return fmt.Appendf(nil, "[%d,%d,%q]", g.Full, g.Some, to.String()), nil
}

// Unit is a row and a column of the grid.
type Unit struct {
	Name string `json:"name"`
	Size int    `json:"size"`
}

// Way is how packets fare between two units, by the example of one pair.
type Way struct {
	From  int      `json:"from"`
	To    int      `json:"to"`
	Pair  string   `json:"pair"`
	There []string `json:"there"`
	Back  []string `json:"back"`
	Why   []string `json:"why"`
}

//go:embed page.html
var pageText string

//go:embed page.css
var style string

//go:embed page.js
var script string

var page = template.Must(template.New("page").Parse(pageText))

// Write writes the page.
func Write(w io.Writer, p *Page) error {
	face := func(weight string, raw []byte) string {
		return "@font-face{font-family:Go;font-weight:" + weight + ";src:url(data:font/ttf;base64," + base64.StdEncoding.EncodeToString(raw) + ")}\n"
	}
	css := face("400", goregular.TTF) + face("700", gobold.TTF) + style
	js := script
	if p.Live {
		js += live
	}
	policy := "default-src 'none'; font-src data:; style-src " + hash(css) + "; script-src " + hash(js) + "; base-uri 'none'; form-action 'none'"
	if p.Live {
		policy += "; connect-src 'self'"
	}
	return page.Execute(w, struct {
		*Page
		Style  template.CSS
		Script template.JS
		Policy string
	}{p, template.CSS(css), template.JS(js), policy})
}

// live has the page loaded anew when the program that serves it says so.
const live = "\nnew EventSource('/events').addEventListener('changed', () => location.reload());\n"

// hash is how a content security policy names a text that may run (CSP 3).
func hash(text string) string {
	sum := sha256.Sum256([]byte(text))
	return "'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'"
}
