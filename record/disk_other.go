//go:build !unix

package record

func syncFolder(string) error { return nil }
