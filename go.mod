module willowherb

go 1.26.0

require (
	github.com/alecthomas/kong v1.17.0
	github.com/evanphx/json-patch/v5 v5.9.11
	github.com/klauspost/compress v1.20.4
	github.com/stretchr/testify v1.12.1
	golang.org/x/image v0.48.0
	golang.org/x/sync v0.25.0
	pgregory.net/rapid v1.3.0
)

require go.yaml.in/yaml/v3 v3.0.5 // indirect
