module pyrant

go 1.26.8

require golang.org/x/image v0.47.0

require (
	github.com/evanphx/json-patch/v5 v5.9.11 // indirect
	golang.org/x/sys v0.49.0 // indirect
)
