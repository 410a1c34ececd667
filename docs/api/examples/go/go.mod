module example/loose

go 1.26.0

require github.com/oapi-codegen/runtime v1.9.0

require (
	github.com/apapsch/go-jsonmerge/v2 v2.0.0 // indirect
	github.com/google/uuid v1.6.0 // indirect
)
