package store

import "github.com/google/uuid"

// IsID tells whether a text is the ID of something: a UUID (RFC 9562) as PostgreSQL writes it, in lower case and with
// dashes. Other spellings of the same are none: an ID that is compared as text must have one.
func IsID(text string) bool {
	id, err := uuid.Parse(text)
	return err == nil && id.String() == text
}
