module turnvex

go 1.26.0

require (
	cel.dev/cel-go v0.33.2
	github.com/cespare/xxhash/v2 v2.3.0
)

require (
	cel.dev/expr v0.25.1 // indirect
	github.com/agnivade/levenshtein v1.2.2 // indirect
	github.com/antlr4-go/antlr/v4 v4.13.1 // indirect
	github.com/goccy/go-yaml v1.19.2 // indirect
	github.com/kr/pretty v0.3.0 // indirect
	go.yaml.in/yaml/v3 v3.0.4 // indirect
	golang.org/x/exp v0.0.0-20240823005443-9b4947da3948 // indirect
	golang.org/x/text v0.43.0 // indirect
	google.golang.org/genproto/googleapis/api v0.0.0-20240826202546-f6391c0de4c7 // indirect
	google.golang.org/genproto/googleapis/rpc v0.0.0-20240826202546-f6391c0de4c7 // indirect
	google.golang.org/protobuf v1.36.10 // indirect
	gopkg.in/check.v1 v1.0.0-20201130134442-10cb98267c6c // indirect
)
