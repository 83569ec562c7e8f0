package exchange

import (
	"fmt"
	"io"
	"math"
	"strings"
	"time"

	"github.com/go-pdf/fpdf"

	"keenarc/core/site"
)

// Sheets to print: A4, landscape, black on white, in the fonts that every reader of PDF
// has. What these have no letter for is written with the nearest one.

// page begins one sheet under a title.
func page(title, under string, at time.Time) (*fpdf.Fpdf, func(string) string) {
	p := fpdf.New("L", "mm", "A4", "")
	p.SetCatalogSort(true) // the same bytes for the same sheet
	p.SetCreationDate(at)
	p.SetModificationDate(at)
	p.SetTitle(title, true)
	p.SetMargins(12, 12, 12)
	p.SetAutoPageBreak(true, 12)
	latin := p.UnicodeTranslatorFromDescriptor("")
	to := func(s string) string {
		return latin(strings.NewReplacer("≤", "at most ", "→", "to", "²", "²", "−", "-").Replace(s))
	}
	p.AddPage()
	p.SetFont("Helvetica", "B", 16)
	p.CellFormat(0, 8, to(title), "", 1, "L", false, 0, "")
	p.SetFont("Helvetica", "", 10)
	p.CellFormat(0, 6, to(under), "", 1, "L", false, 0, "")
	return p, to
}

// OrderPaper is a running order on one sheet of paper: threads against the clock, what
// decides drawn heavy, and the steps beneath with room for a pen.
//
//revive:disable-next-line:function-length a page from top to bottom
func OrderPaper(w io.Writer, where string, o *site.Order, v *site.OrderSheet) error {
	p, to := page("Running order, "+o.Date, fmt.Sprintf("%s. Starts %s, ready %s, four days in five by %s. Printed %s.",
		where, o.Start, v.Course.Ready, v.Course.Four, v.Now), v.Begins)
	threads := []string{}
	row := map[string]int{}
	last := 30.0
	for i, s := range o.Steps {
		if _, ok := row[s.Thread]; !ok {
			row[s.Thread] = len(threads)
			threads = append(threads, s.Thread)
		}
		last = max(last, v.Course.Slots[i].To, v.Course.Slots[i].PlanTo)
	}
	const left, right, top = 34.0, 285.0, 36.0
	step := 9.5
	if n := float64(len(threads)); n*step > 70 {
		step = 70 / n
	}
	x := func(min float64) float64 { return left + (right-left)*min/last }
	bottom := top + step*float64(len(threads))
	p.SetFont("Helvetica", "", 7)
	p.SetDrawColor(200, 200, 200)
	p.SetLineWidth(0.1)
	tick := 30.0
	for last/tick > 16 {
		tick *= 2
	}
	// The ticks stand on whole half hours of the clock.
	off := math.Mod(float64(v.Begins.Hour()*60+v.Begins.Minute()), tick)
	for m := math.Mod(tick-off, tick); m <= last; m += tick {
		p.Line(x(m), top-2, x(m), bottom)
		p.Text(x(m)-3, top-3, site.Clock(v.Begins, m))
	}
	p.SetDrawColor(0, 0, 0)
	for k, t := range threads {
		p.SetFont("Helvetica", "B", 8)
		p.Text(12, top+step*(float64(k)+0.6), to(t))
	}
	for i, s := range o.Steps {
		c := v.Course.Slots[i]
		y := top + step*(float64(row[s.Thread])+0.55)
		p.SetLineWidth(0.5)
		if c.Critical {
			p.SetLineWidth(1.4)
		}
		p.Line(x(c.From), y, x(c.To), y)
		p.SetLineWidth(0.2)
		p.Line(x(c.From), y-1.2, x(c.From), y+1.2)
		if c.Slack > 0.5 {
			p.SetDashPattern([]float64{0.6, 0.8}, 0)
			p.Line(x(c.To), y, x(math.Min(c.To+c.Slack, last)), y)
			p.SetDashPattern(nil, 0)
		}
		p.SetFont("Helvetica", "", 6.5)
		p.Text(x(c.From)+0.6, y-1.6, to(s.Name))
	}
	p.SetY(bottom + 4)
	wide := []float64{7, 52, 28, 16, 16, 16, 18, 16, 42, 62}
	// All steps stand on one sheet, closer where there are many, as long as they can be read.
	_, high := p.GetPageSize()
	_, _, _, under := p.GetMargins()
	tall := min(max((high-under-bottom-5)/float64(len(o.Steps)+len(v.Breaks)+2), 3.4), 4.6)
	line := func(style string, cells ...string) {
		p.SetFont("Helvetica", style, 7.5*tall/4.6)
		for k, c := range cells {
			p.CellFormat(wide[k], tall, to(c), "B", 0, "L", false, 0, "")
		}
		p.Ln(tall)
	}
	line("B", "", "step", "by", "from", "to", "takes", "to spare", "people", "answers for it, latest", "after")
	names := map[string]string{}
	for _, s := range o.Steps {
		names[s.ID] = s.Name
	}
	for i, s := range o.Steps {
		c := v.Course.Slots[i]
		after := make([]string, len(s.After))
		for k, id := range s.After {
			after[k] = names[id]
		}
		owner := s.Owner
		if s.Latest != "" {
			owner += ", by " + s.Latest
		}
		box := "[  ]"
		if s.Ended != nil {
			box = "[x]"
		}
		spare := fmt.Sprintf("%.0f min", c.Slack)
		if c.Critical {
			spare = "decides"
		}
		line("", box, s.Name, s.Thread, site.Clock(v.Begins, c.From), site.Clock(v.Begins, c.To),
			fmt.Sprintf("%.0f min", s.Minutes), spare, fmt.Sprint(s.People), strings.TrimPrefix(owner, ", "),
			cut(strings.Join(after, ", "), 52))
	}
	if v.Changed != "" {
		line("B", "", cut(v.Changed, 150))
	}
	for _, b := range v.Breaks {
		line("B", "!", cut(b.Says, 150))
	}
	return p.Output(w)
}

// cut keeps a text short enough for its column.
func cut(s string, most int) string {
	if r := []rune(s); len(r) > most {
		return string(r[:most-1]) + "…"
	}
	return s
}

// NeedsPaper is what others are asked to bring, on one sheet of paper.
func NeedsPaper(w io.Writer, where string, v *site.PowerSheet, at time.Time) error {
	p, to := page("What we need from you", where+". "+v.Says, at)
	p.Ln(3)
	for _, n := range v.Needs {
		p.SetFont("Helvetica", "B", 10)
		p.CellFormat(55, 7, to(cut(n.What, 34)), "B", 0, "L", false, 0, "")
		p.SetFont("Helvetica", "", 10)
		p.CellFormat(210, 7, to(cut(n.Says, 140)), "B", 0, "L", false, 0, "")
		p.CellFormat(8, 7, "[  ]", "B", 1, "L", false, 0, "")
	}
	p.Ln(4)
	p.SetFont("Helvetica", "", 9)
	for _, m := range v.More {
		p.MultiCell(0, 5, to(m), "", "L", false)
	}
	p.MultiCell(0, 5, to("Supply work is for licensed people under local codes and the maker's manual. Our sums are "+
		"planning aids."), "", "L", false)
	return p.Output(w)
}
