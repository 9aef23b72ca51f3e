// Package wire holds the messages of the live protocol, as docs/protocol.md describes them, and reads and writes them
// in both encodings. It knows no sockets and no rulebooks; package spec explains the messages.
package wire

import (
	"turnvex.example/turnvex/internal/core/replica"
)

// The names of the encodings in the WebSocket handshake.
const (
	SubprotocolJSON = "turnvex.v1+json"
	SubprotocolCBOR = "turnvex.v1+cbor"
)

// Subprotocols lists the names of the encodings, by their numbers.
var Subprotocols = [replica.Encodings]string{replica.JSON: SubprotocolJSON, replica.CBOR: SubprotocolCBOR}

// The limits of what a client may send.
const (
	MaxMessage = 16 << 10  // bytes of one message
	MaxCopy    = 256 << 10 // bytes of the message copy, which only a service that asked for it takes
	MaxDepth   = 8         // lists and maps inside each other
)

// Error is what is wrong with a message.
type Error struct {
	What string
}

func (e *Error) Error() string { return e.What }
