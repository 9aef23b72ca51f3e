package rulebook

import (
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"time"

	"turnvex.example/turnvex/internal/core/sheet"
)

// The written forms of scalars, as the JSON Schema gives them too.
const (
	namePattern     = `^[a-z][a-z0-9_]{0,31}$`
	amountPattern   = `^[a-z][a-z0-9_]{0,31}(\.[a-z][a-z0-9_]{0,31}|\[.{1,200}\])$`
	durationPattern = `^([0-9]+(\.[0-9]+)?(ms|s|m|h))+$`
	lengthPattern   = `^[0-9]+(\.[0-9]{1,3})?(m|mm)$`
)

var (
	amountForm   = regexp.MustCompile(amountPattern)
	nameForm     = regexp.MustCompile(namePattern)
	durationForm = regexp.MustCompile(durationPattern)
	lengthForm   = regexp.MustCompile(lengthPattern)
)

// parseDuration reads 90s, 1m30s, 250ms into milliseconds.
func parseDuration(s string) (int64, bool) {
	if !durationForm.MatchString(s) {
		return 0, false
	}
	d, err := time.ParseDuration(s)
	return d.Milliseconds(), err == nil
}

// parseLength reads 12m, 1.5m, 500mm or 0 into millimetres.
func parseLength(s string) (int64, bool) {
	if s == "0" {
		return 0, true
	}
	if !lengthForm.MatchString(s) {
		return 0, false
	}
	if mm, ok := strings.CutSuffix(s, "mm"); ok {
		n, err := strconv.ParseInt(mm, 10, 64)
		return n, err == nil
	}
	return sheet.ParseThousandths(strings.TrimSuffix(s, "m"))
}

func showDuration(ms int64) string {
	if ms == 0 {
		return "0s"
	}
	s := (time.Duration(ms) * time.Millisecond).String()
	if strings.HasSuffix(s, "m0s") {
		s = strings.TrimSuffix(s, "0s")
	}
	if strings.HasSuffix(s, "h0m") {
		s = strings.TrimSuffix(s, "0m")
	}
	return s
}

func showLength(mm int64) string {
	if mm%1000 == 0 && mm > 0 {
		return fmt.Sprintf("%dm", mm/1000)
	}
	return fmt.Sprintf("%dmm", mm)
}
