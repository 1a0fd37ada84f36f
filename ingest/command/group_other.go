//go:build !unix

package command

import "os/exec"

func group(*exec.Cmd) {}

func terminate(cmd *exec.Cmd) { _ = cmd.Process.Kill() }

func destroy(cmd *exec.Cmd) { _ = cmd.Process.Kill() }
