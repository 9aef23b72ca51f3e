package wire

import (
	"fmt"

	"github.com/fxamacker/cbor/v2"
)

// Verdict answers an intent.
type Verdict struct {
	Is     string `json:"is"`
	Seat   uint32 `json:"seat" jsonschema:"as in the intent"`
	N      uint64 `json:"n" jsonschema:"as in the intent"`
	OK     bool   `json:"ok" jsonschema:"whether it was accepted"`
	Code   string `json:"code,omitempty" jsonschema:"why not; see errors.md"`
	Reason string `json:"reason,omitempty" jsonschema:"the same in words"`
	Tick   int64  `json:"tick" jsonschema:"the wall tick at which it took effect or was refused"`
	Left   int64  `json:"left,omitempty" jsonschema:"milliseconds to wait, if waiting helps"`
	Waits  bool   `json:"waits,omitempty" jsonschema:"a referee decides; the notice decided holds the outcome"`
}

// leastVerdict is how many elements a verdict has in CBOR at least.
const leastVerdict = 3

// MarshalCBOR writes a verdict as [seat, n, tick, code, reason, left, waits], without the empty ones at its end.
// Verdicts come nearly as often as deltas; as a map with names one would be longer than most of those.
func (v Verdict) MarshalCBOR() ([]byte, error) {
	list := []any{v.Seat, v.N, v.Tick, v.Code, v.Reason, v.Left, v.Waits}
	n := len(list)
	for ; n > leastVerdict && (list[n-1] == "" || list[n-1] == int64(0) || list[n-1] == false); n-- {
	}
	return cborWrite.Marshal(list[:n])
}

// UnmarshalCBOR reads what MarshalCBOR writes.
func (v *Verdict) UnmarshalCBOR(data []byte) error {
	var list []cbor.RawMessage
	if err := cborLoose.Unmarshal(data, &list); err != nil {
		return err
	}
	if len(list) < leastVerdict {
		return &Error{fmt.Sprintf("a verdict has at least %d elements, not %d", leastVerdict, len(list))}
	}
	*v = Verdict{Is: "verdict"}
	for i, into := range []any{&v.Seat, &v.N, &v.Tick, &v.Code, &v.Reason, &v.Left, &v.Waits} {
		if i == len(list) {
			break
		}
		if err := cborLoose.Unmarshal(list[i], into); err != nil {
			return err
		}
	}
	v.OK = v.Code == ""
	return nil
}
