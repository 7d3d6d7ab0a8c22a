module pyrant

go 1.26.8

require golang.org/x/image v0.47.0

require golang.org/x/sys v0.49.0 // indirect
