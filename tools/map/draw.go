package main

import (
	"bytes"
	"fmt"
	"html"
	"path"
	"strings"
)

// Sizes of a drawing, in pixels.
const (
	letterW, boxH    = 7.4, 26.0
	betweenX, floorH = 14.0, 92.0
	edge, headH      = 28.0, 64.0
	widest           = 1240.0
)

// drawings are the house and each of its rooms, by the names of their files.
func (h *house) drawings(floors [][]string, within map[string][]string) map[string][]byte {
	out := map[string][]byte{"house.svg": h.house(floors)}
	for _, p := range h.packages {
		if len(h.files[p]) < 3 {
			continue
		}
		layers, up := standing(h.files[p], h.inside[p])
		title := fmt.Sprintf("%s: %d files, %d arrows, %d of them back up", p, len(h.files[p]),
			len(h.inside[p]), len(up))
		d := drawing{title: title, says: h.doc[p], layers: untangled(layers, h.inside[p]), arrows: h.inside[p], up: up}
		out[strings.ReplaceAll(p, "/", "-")+".svg"] = d.svg()
	}
	return out
}

// house draws rooms on their floors. What is only asked over another room is not drawn twice.
func (h *house) house(floors [][]string) []byte {
	between := map[arrow]bool{}
	for a := range h.arrows {
		if from, to := room(floors, a.from), room(floors, a.to); from != to && from != "" && to != "" {
			between[arrow{from, to}] = true
		}
	}
	direct := map[arrow]bool{}
	for a := range between {
		if !over(between, a) {
			direct[a] = true
		}
	}
	d := drawing{title: fmt.Sprintf("The house: %d rooms, %d arrows between them, none back up", count(floors),
		len(between)),
		says:   "who asks stands above who answers; an arrow that follows from others is left out",
		layers: untangled(floors, direct), arrows: direct, links: map[string]string{}}
	for _, p := range h.packages {
		if r := room(floors, p); len(h.files[p]) >= 3 && (p == r || d.links[r] == "") {
			d.links[r] = strings.ReplaceAll(p, "/", "-") + ".svg"
		}
	}
	return d.svg()
}

func count(floors [][]string) int {
	n := 0
	for _, f := range floors {
		n += len(f)
	}
	return n
}

// over is whether an arrow's end is reached over others, too.
func over(all map[arrow]bool, a arrow) bool {
	seen := map[string]bool{}
	var reach func(from string) bool
	reach = func(from string) bool {
		if seen[from] {
			return false
		}
		seen[from] = true
		for b := range all {
			if b.from == from && b != a && (b.to == a.to || reach(b.to)) {
				return true
			}
		}
		return false
	}
	return reach(a.from)
}

// drawing is things on floors with the arrows between them.
type drawing struct {
	title, says string
	layers      [][]string
	arrows, up  map[arrow]bool
	links       map[string]string // another drawing behind a thing
}

type box struct{ x, y, w float64 }

// rows are the floors, each in as many rows as it takes.
func (d *drawing) rows() [][]string {
	var out [][]string
	for _, l := range d.layers {
		var row []string
		w := 2 * edge
		for _, t := range l {
			if more := wide(t) + betweenX; w+more > widest && len(row) > 0 {
				out, row, w = append(out, row), nil, 2*edge
			}
			row = append(row, t)
			w += wide(t) + betweenX
		}
		out = append(out, row)
	}
	return out
}

func wide(t string) float64 { return float64(len(t))*letterW + 18 }

func (d *drawing) svg() []byte {
	rows := d.rows()
	boxes := map[string]box{}
	for k, row := range rows {
		sum := 0.0
		for _, t := range row {
			sum += wide(t)
		}
		gap := (widest - 2*edge - sum) / float64(len(row)+1)
		x := edge + gap
		for _, t := range row {
			boxes[t] = box{x, headH + float64(k)*floorH, wide(t)}
			x += wide(t) + gap
		}
	}
	high := headH + float64(len(rows)-1)*floorH + boxH + edge
	var b bytes.Buffer
	fmt.Fprintf(&b, "<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 %g %g\" font-family=\"sans-serif\" "+
		"font-size=\"13\">\n", widest, high)
	b.WriteString("<defs><marker id=\"to\" viewBox=\"0 0 8 8\" refX=\"7\" refY=\"4\" markerWidth=\"7\" " +
		"markerHeight=\"7\" orient=\"auto\">" +
		"<path d=\"M0 0L8 4L0 8z\" fill=\"context-stroke\"/></marker></defs>\n")
	fmt.Fprintf(&b, "<rect width=\"%g\" height=\"%g\" fill=\"#fbfaf7\"/>\n", widest, high)
	fmt.Fprintf(&b, "<text x=\"%g\" y=\"26\" font-size=\"16\" font-weight=\"bold\">%s</text>\n", edge,
		html.EscapeString(d.title))
	fmt.Fprintf(&b, "<text x=\"%g\" y=\"46\" fill=\"#555\">%s</text>\n", edge, html.EscapeString(d.says))
	for _, a := range sorted(d.arrows) {
		d.arrow(&b, a, boxes)
	}
	for _, row := range rows {
		for _, t := range row {
			d.box(&b, t, boxes[t])
		}
	}
	b.WriteString("</svg>\n")
	return b.Bytes()
}

// arrow leaves its box below and ends on top of the other; one that runs back up is red, and goes
// from top to bottom.
func (d *drawing) arrow(b *bytes.Buffer, a arrow, boxes map[string]box) {
	f, t := boxes[a.from], boxes[a.to]
	x1, y1, x2, y2, colour := f.x+f.w/2, f.y+boxH, t.x+t.w/2, t.y-1, "#8a93a0"
	if d.up[a] {
		y1, y2, colour = f.y, t.y+boxH+1, "#c0392b"
	}
	bend := (y2 - y1) / 2
	fmt.Fprintf(b, "<path d=\"M%.1f %.1fC%.1f %.1f %.1f %.1f %.1f %.1f\" fill=\"none\" stroke=\"%s\" "+
		"stroke-width=\"1\" marker-end=\"url(#to)\">"+
		"<title>%s asks %s</title></path>\n", x1, y1, x1, y1+bend, x2, y2-bend, x2, y2, colour, html.EscapeString(
		a.from), html.EscapeString(a.to))
}

func (d *drawing) box(b *bytes.Buffer, name string, at box) {
	to := d.links[name]
	if to != "" {
		fmt.Fprintf(b, "<a href=\"%s\">", path.Clean(to))
	}
	fmt.Fprintf(b, "<rect x=\"%.1f\" y=\"%.1f\" width=\"%.1f\" height=\"%g\" rx=\"3\" fill=\"#fff\" stroke=\"#334\"/>",
		at.x, at.y, at.w, boxH)
	fmt.Fprintf(b, "<text x=\"%.1f\" y=\"%.1f\" text-anchor=\"middle\">%s</text>", at.x+at.w/2, at.y+17.5,
		html.EscapeString(name))
	if to != "" {
		b.WriteString("</a>")
	}
	b.WriteString("\n")
}
