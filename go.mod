module pyrant

go 1.26.8

ignore ./node_modules

require (
	github.com/evanphx/json-patch/v5 v5.9.11
	github.com/go-gormigrate/gormigrate/v2 v2.1.7
	github.com/gofrs/flock v0.13.2
	github.com/google/jsonschema-go v0.4.3
	github.com/klauspost/compress v1.18.2
	github.com/labstack/echo/v5 v5.4.4
	github.com/lucasb-eyer/go-colorful v1.4.1
	github.com/mattn/go-sqlite3 v1.14.22
	github.com/spf13/pflag v1.1.0
	golang.org/x/image v0.47.0
	golang.org/x/sync v0.24.0
	golang.org/x/sys v0.49.0
	golang.org/x/tools v0.52.0
	gonum.org/v1/gonum v0.16.0
	gorm.io/driver/sqlite v1.6.0
	gorm.io/gorm v1.31.2
)

require (
	github.com/BurntSushi/toml v1.4.1-0.20240526193622-a339e1f7089c // indirect
	github.com/jinzhu/inflection v1.0.0 // indirect
	github.com/jinzhu/now v1.1.5 // indirect
	github.com/kisielk/errcheck v1.30.0 // indirect
	github.com/tdewolff/parse/v2 v2.25.0 // indirect
	golang.org/x/exp/typeparams v0.0.0-20231108232855-2478ac86f678 // indirect
	golang.org/x/mod v0.42.0 // indirect
	golang.org/x/text v0.43.0 // indirect
	golang.org/x/time v0.15.0 // indirect
	honnef.co/go/tools v0.8.2 // indirect
)

tool (
	github.com/kisielk/errcheck
	golang.org/x/tools/go/analysis/passes/shadow/cmd/shadow
	honnef.co/go/tools/cmd/staticcheck
)
