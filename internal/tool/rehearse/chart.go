package rehearse

import (
	"bytes"
	"fmt"
	"math"
	"strconv"
	"text/template"

	"turnvex.example/turnvex/internal/tool/plain"
)

// Chart draws the lengths and the wins as SVG.
func (r *Report) Chart() ([]byte, error) {
	lengths := panel{X: 0, Width: 780, Title: plain.Text(r.Rulebook) + ": matches by length, from (mm:ss)"}
	most := 0.0
	for _, b := range r.Lengths {
		lengths.add(clock(b.From), float64(b.Count))
		most = max(most, float64(b.Count))
	}
	wins := panel{X: 800, Width: 380, Title: "won, in % of matches"}
	for _, s := range r.Sides {
		wins.add(plain.Text(s.Name), share(s.Won, max(r.Ended, 1)))
	}
	lengths.scale(math.Ceil(most/gridLines) * gridLines) // so that the grid stands at whole numbers
	wins.scale(100)
	var b bytes.Buffer
	err := drawing.Execute(&b, []panel{lengths, wins})
	return b.Bytes(), err
}

// panel is one of the charts side by side, in pixels.
type panel struct {
	X, Width int
	Title    string
	Bars     []bar
	Lines    []line // of its grid
}

type bar struct {
	Label, Value  string
	X, Y, W, H, M float64 // M is its middle
	value         float64
}

type line struct {
	Y     float64
	Label string
}

// The area of the bars in a panel.
const (
	chartLeft, chartTop, chartBottom = 50, 60, 400
	gridLines                        = 4
)

func (p *panel) add(label string, value float64) {
	p.Bars = append(p.Bars, bar{Label: label, Value: strconv.FormatFloat(value, 'g', 4, 64), value: value})
}

// scale places bars and grid; most is the value at the top.
func (p *panel) scale(most float64) {
	if len(p.Bars) == 0 {
		p.add("none", 0)
	}
	most = max(most, 1)
	each := float64(p.Width-chartLeft-20) / float64(len(p.Bars))
	for i := range p.Bars {
		b := &p.Bars[i]
		b.H = b.value / most * (chartBottom - chartTop)
		b.X, b.W, b.Y = chartLeft+(float64(i)+0.15)*each, 0.7*each, chartBottom-b.H
		b.M = b.X + b.W/2
	}
	for i := range gridLines + 1 {
		at := float64(i) / gridLines
		p.Lines = append(p.Lines, line{chartBottom - at*(chartBottom-chartTop), fmt.Sprintf("%.4g", at*most)})
	}
}

var drawing = template.Must(template.New("").Parse(`<svg xmlns="http://www.w3.org/2000/svg" width="1200" height="460" ` +
	`font-family="sans-serif" font-size="13" fill="#334155"><rect width="1200" height="460" fill="#ffffff"/>
{{range .}}{{$w := .Width}}<g transform="translate({{.X}},0)"><text x="50" y="34" font-size="16">{{html .Title}}</text>
{{range .Lines}}<line x1="50" x2="{{$w}}" y1="{{.Y}}" y2="{{.Y}}" stroke="#e2e8f0"/>` +
	`<text x="42" y="{{.Y}}" dy="4" text-anchor="end">{{.Label}}</text>
{{end}}{{range .Bars}}<rect x="{{.X}}" y="{{.Y}}" width="{{.W}}" height="{{.H}}" fill="#0f766e"/>` +
	`<text x="{{.M}}" y="{{.Y}}" dy="-6" text-anchor="middle">{{.Value}}</text>` +
	`<text x="{{.M}}" y="424" text-anchor="middle">{{html .Label}}</text>
{{end}}</g>
{{end}}</svg>
`))
