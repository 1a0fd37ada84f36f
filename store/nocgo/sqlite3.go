// Package sqlite3 stands in, by a replace directive in go.mod, for the driver in C
// that GORM's dialect imports. The store opens its database with a driver in Go, so
// that driver would only be compiled, which takes long, and never called.
package sqlite3
