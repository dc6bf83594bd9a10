package shoot

import (
	"bufio"
	"os"
	"strconv"
	"strings"
	"sync"

	"visator/app/act"
	"visator/core/bands"
)

// memory is how many bytes one picture in the making may take: half of what the
// machine has, so that two workers, the set itself and the database have room too.
func (a *Studio) Room() int64 {
	if a.Memory > 0 {
		return a.Memory
	}
	return machineMemory() / 2
}

// machineMemory is what the machine has, or what this process is allowed of it.
var machineMemory = sync.OnceValue(func() int64 {
	total := int64(8 << 30) // a modest machine, where nothing tells
	if f, err := os.Open("/proc/meminfo"); err == nil {
		defer f.Close()
		for lines := bufio.NewScanner(f); lines.Scan(); {
			if kb, ok := strings.CutPrefix(lines.Text(), "MemTotal:"); ok {
				if n, err := strconv.ParseInt(strings.TrimSpace(strings.TrimSuffix(strings.TrimSpace(kb), "kB")), 10,
					64); err == nil {
					total = n << 10
				}
			}
		}
	}
	if raw, err := os.ReadFile("/sys/fs/cgroup/memory.max"); err == nil {
		if n, err := strconv.ParseInt(strings.TrimSpace(string(raw)), 10, 64); err == nil && n > 0 {
			total = min(total, n)
		}
	}
	return total
})

// FitsMemory says in words what a picture needs, when the machine has not as much.
func (a *Studio) FitsMemory(width, height int) error {
	if need, room := bands.Least(width, height), a.Room(); need > room {
		return act.Wrong("A picture of %d × %d pixels takes %.1f GB of memory even made in bands, and %.1f GB are "+
			"free for one here: make it smaller.", width, height, float64(need)/1e9, float64(room)/1e9)
	}
	return nil
}
