// Package rulebook reads, checks and compiles the file that declares one kind of match. The keys, their types, ranges,
// defaults and explanations stand once, in the grammar (grammar_*.go); checking, the JSON Schema and the reference page
// follow from it. What comes out is a Book, which the authority runs.
package rulebook
