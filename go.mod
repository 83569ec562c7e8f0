module keenarc

go 1.26.0

require (
	github.com/danielgtaylor/huma/v2 v2.37.2
	gonum.org/v1/gonum v0.17.0
)

require (
	github.com/alecthomas/kong v1.17.0
	github.com/google/uuid v1.6.0
	github.com/klauspost/compress v1.20.4
)
