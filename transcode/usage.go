package transcode

import (
	"bytes"
	"errors"
	"os"
	"strconv"
	"time"
)

// Usage is what a process takes of the machine.
type Usage struct {
	Memory    int64         // bytes that are resident
	Processor time.Duration // time of a core since it began
}

var errStat = errors.New("transcode: /proc says something unexpected")

// ticks a second of the times in /proc (proc_pid_stat(5); USER_HZ is 100 on all
// architectures that Go knows).
const ticks = 100

// ProcessUsage reads what Linux says of a process.
func ProcessUsage(pid int) (u Usage, err error) {
	stat, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/stat")
	if err != nil {
		return u, err
	}
	// The name in parentheses may hold anything; fields are counted behind it.
	const utime, stime, rss = 11, 12, 21
	fields := bytes.Fields(stat[bytes.LastIndexByte(stat, ')')+1:])
	if len(fields) <= rss {
		return u, errStat
	}
	var n [3]int64
	for i, f := range []int{utime, stime, rss} {
		if n[i], err = strconv.ParseInt(string(fields[f]), 10, 64); err != nil {
			return u, errStat
		}
	}
	return Usage{Memory: n[2] * int64(os.Getpagesize()), Processor: time.Duration(n[0]+n[1]) * time.Second / ticks}, nil
}
