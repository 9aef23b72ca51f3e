package journal

import (
	"io"

	"github.com/fxamacker/cbor/v2"

	"turnvex.example/turnvex/internal/core/step"
)

// Until is an entry that says that a lobby has come to a tick.
func Until(tick int64) []byte {
	data, err := cbor.Marshal(entry{Kind: kindInput, At: tick, Input: pack(&step.Input{Kind: step.Tick})})
	if err != nil {
		panic(err) // it is made of numbers
	}
	return data
}

// Whole writes a journal as a file, of its head, of what is known of its people, and of its entries as a scribe has
// written them, one behind the other.
func Whole(w io.Writer, h Head, known []Person, entries ...[]byte) error {
	if _, err := io.WriteString(w, Magic); err != nil {
		return err
	}
	enc := cbor.NewEncoder(w)
	if err := enc.Encode(h); err != nil {
		return err
	}
	for _, p := range known {
		if err := enc.Encode(entry{Kind: kindPerson, Person: &person{Token: p.Token, Of: p.Of,
			Text: p.Text}}); err != nil {
			return err
		}
	}
	for _, e := range entries {
		if _, err := w.Write(e); err != nil {
			return err
		}
	}
	return nil
}
