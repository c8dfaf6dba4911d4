package picture

import "wendrik/internal/core/draw"

// Theme is the colours of a picture.
type Theme struct {
	paper, ink, faint, alarm, good, onDark string
	boxes                                  map[draw.Look]style
	lines                                  map[draw.Look]style
}

// style is how a box or a line looks. Boxes of one look are told apart from others by their borders, too, and not by colour alone.
type style struct {
	fill, stroke string
	width        float64
	dash         []float64
	bar          bool // a thick bar at the left
	hatch        bool // hatched
}

// Themes are those that there are, by name.
var Themes = map[string]Theme{
	"light": {paper: "#ffffff", ink: "#1b2430", faint: "#5b6775", alarm: "#b3261e", good: "#1d6b34", onDark: "#ffffff", boxes: boxes(palette{
		region: "#f3f5f8", card: "#ffffff", edge: "#8593a3", public: "#fdeed6", publicEdge: "#b36b00", outbound: "#e3eefc", outboundEdge: "#2563a8", closed: "#e7f2e8", closedEdge: "#3a7d44",
		plain: "#f6f7f9", gate: "#4a5563", hub: "#efe7fa", hubEdge: "#6b46a8", outside: "#eceff3", used: "#c9dcf5", held: "#f5e2c4", free: "#f6f7f9", open: "#2f8f4e", partly: "#d9a300", blocked: "#eef0f3", changed: "#b3261e"}),
		lines: lines("#2563a8", "#6b46a8", "#4a5563", "#1d8a3f", "#c4281c", "#8593a3")},
	"dark": {paper: "#12161c", ink: "#e8edf3", faint: "#9aa7b5", alarm: "#ff8a80", good: "#7fd99a", onDark: "#0f1318", boxes: boxes(palette{
		region: "#191f27", card: "#202833", edge: "#6a7889", public: "#4a3612", publicEdge: "#f0b04a", outbound: "#1c3654", outboundEdge: "#7db4f0", closed: "#1e3d27", closedEdge: "#7cc98a",
		plain: "#262f3b", gate: "#b4c0cd", hub: "#33264d", hubEdge: "#b79af0", outside: "#2a323d", used: "#24486f", held: "#57431f", free: "#1b222b", open: "#4fbf73", partly: "#e0b83c", blocked: "#2a323d", changed: "#ff8a80"}),
		lines: lines("#7db4f0", "#b79af0", "#b4c0cd", "#5fd487", "#ff8a80", "#6a7889")},
	"print": {paper: "#ffffff", ink: "#000000", faint: "#404040", alarm: "#000000", good: "#000000", onDark: "#ffffff", boxes: boxes(palette{
		region: "#ffffff", card: "#ffffff", edge: "#000000", public: "#ffffff", publicEdge: "#000000", outbound: "#ffffff", outboundEdge: "#000000", closed: "#ffffff", closedEdge: "#000000",
		plain: "#ffffff", gate: "#000000", hub: "#ffffff", hubEdge: "#000000", outside: "#eeeeee", used: "#cccccc", held: "#ffffff", free: "#ffffff", open: "#333333", partly: "#999999", blocked: "#ffffff", changed: "#000000"}),
		lines: lines("#000000", "#000000", "#000000", "#000000", "#000000", "#777777")},
}

type palette struct {
	region, card, edge, public, publicEdge, outbound, outboundEdge, closed, closedEdge, plain, gate, hub, hubEdge, outside, used, held, free, open, partly, blocked, changed string
}

func boxes(p palette) map[draw.Look]style {
	return map[draw.Look]style{
		draw.Region:   {fill: p.region, stroke: p.edge, width: 0.5},
		draw.Card:     {fill: p.card, stroke: p.edge, width: 1.2},
		draw.Public:   {fill: p.public, stroke: p.publicEdge, width: 2.2},
		draw.Outbound: {fill: p.outbound, stroke: p.outboundEdge, width: 1.2, dash: []float64{5, 3}},
		draw.Closed:   {fill: p.closed, stroke: p.closedEdge, width: 1, bar: true},
		draw.Unstated: {fill: p.plain, stroke: p.edge, width: 0.7},
		draw.Gate:     {fill: p.gate, stroke: p.gate, width: 0.5},
		draw.HubLook:  {fill: p.hub, stroke: p.hubEdge, width: 1.6},
		draw.Outside:  {fill: p.outside, stroke: p.edge, width: 1, dash: []float64{2, 2}},
		draw.Used:     {fill: p.used, stroke: p.outboundEdge, width: 0.8},
		draw.HeldLook: {fill: p.held, stroke: p.publicEdge, width: 0.8, hatch: true},
		draw.Free:     {fill: p.free, stroke: p.edge, width: 0.4},
		draw.Plain:    {fill: p.plain, stroke: p.edge, width: 0.8},
		draw.Open:     {fill: p.open, stroke: p.open, width: 0.5},
		draw.Partly:   {fill: p.partly, stroke: p.partly, width: 0.5},
		draw.Blocked:  {fill: p.blocked, stroke: p.edge, width: 0.3},
		draw.Changed:  {fill: p.card, stroke: p.changed, width: 2.4},
	}
}

func lines(peering, hub, site, opens, closes, waiting string) map[draw.Look]style {
	return map[draw.Look]style{
		draw.PeerLine: {stroke: peering, width: 1.6},
		draw.HubLine:  {stroke: hub, width: 1.6, dash: []float64{7, 3}},
		draw.SiteLine: {stroke: site, width: 1.6, dash: []float64{2, 3}},
		draw.Waiting:  {stroke: waiting, width: 1.2, dash: []float64{1, 4}},
		draw.Opens:    {stroke: opens, width: 2.2},
		draw.Closes:   {stroke: closes, width: 2.2, dash: []float64{8, 3}},
		draw.Open:     {stroke: opens, width: 2},
		draw.Blocked:  {stroke: closes, width: 2, dash: []float64{4, 3}},
		draw.Plain:    {stroke: site, width: 1},
	}
}

// text is the colour of a text.
func (t Theme) text(l draw.Look) string {
	switch l {
	case draw.Faint:
		return t.faint
	case draw.Alarm:
		return t.alarm
	case draw.Good:
		return t.good
	case draw.OnDark:
		return t.onDark
	}
	return t.ink
}
