package rehearse

import (
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/go-analyze/charts"
)

// Chart draws the lengths and the wins, as SVG or PNG by the file's name.
func (r *Report) Chart(file string) ([]byte, error) {
	format := strings.TrimPrefix(strings.ToLower(filepath.Ext(file)), ".")
	if format != "svg" && format != "png" {
		return nil, fmt.Errorf("a chart is written as .svg or .png, not as %q", filepath.Base(file))
	}
	const width, height = 1200, 460
	p := charts.NewPainter(charts.PainterOptions{OutputFormat: format, Width: width, Height: height})
	p.FilledRect(0, 0, width, height, charts.ColorWhite, charts.ColorWhite, 0)
	left := p.Child(charts.PainterBoxOption(charts.NewBox(0, 0, width*2/3, height)))
	if err := left.BarChart(r.lengthChart()); err != nil {
		return nil, err
	}
	right := p.Child(charts.PainterBoxOption(charts.NewBox(width*2/3, 0, width, height)))
	if err := right.BarChart(r.winChart()); err != nil {
		return nil, err
	}
	return p.Bytes()
}

func options(title string, labels []string, most float64, values ...[]float64) charts.BarChartOption {
	opt := charts.NewBarChartOptionWithData(values)
	opt.Title.Text = title
	opt.Padding = charts.NewBox(20, 20, 20, 20)
	opt.CategoryAxis.Labels = labels
	opt.ValueFormatter = func(v float64) string { return strconv.FormatFloat(v, 'g', 4, 64) }
	zero := 0.0
	opt.ValueAxis[0].Min = &zero
	if most > 0 {
		opt.ValueAxis[0].Max = &most
		opt.ValueAxis[0].LabelCount = 6 // whole numbers, from nothing to all
	}
	hidden := false
	opt.Legend.Show = &hidden
	return opt
}

func (r *Report) lengthChart() charts.BarChartOption {
	var labels []string
	var values []float64
	for _, b := range r.Lengths {
		labels, values = append(labels, clock(b.From)), append(values, float64(b.Count))
	}
	if len(values) == 0 {
		labels, values = []string{"none ended"}, []float64{0}
	}
	return options(fmt.Sprintf("%s: matches by length, from (mm:ss)", r.Rulebook), labels, 0, values)
}

func (r *Report) winChart() charts.BarChartOption {
	var labels []string
	var won []float64
	for _, s := range r.Sides {
		labels, won = append(labels, s.Name), append(won, share(s.Won, max(r.Ended, 1)))
	}
	if len(won) == 0 {
		labels, won = []string{"nobody"}, []float64{0}
	}
	return options("won, in % of matches", labels, 100, won)
}
