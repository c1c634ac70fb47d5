#!/usr/bin/env bash
# bench/awake.sh PID: keeps the processors of a virtual machine awake while process PID lives.
#
# A virtual processor that goes to sleep between two requests is given back by its host when the host likes: one server
# did 3,300 to 12,000 requests a second so, and 20,000 to 33,000 with this, in the same half minute. A loop of the
# scheduling class *idle* (sched(7)) on each processor keeps it, and gives way to whatever else wants to run. Where the
# time of a container is counted, or on a machine of one's own, it does nothing.
set -euo pipefail
command -v chrt >/dev/null && grep -qw hypervisor /proc/cpuinfo || exit 0
case "$(cat /sys/fs/cgroup/cpu.max 2>/dev/null || echo max)" in max*) ;; *) exit 0 ;; esac
for _ in $(seq "$(nproc)"); do
  chrt --idle 0 bash -c 'while kill -0 "$1" 2>/dev/null; do for ((n = 0; n < 100000; n++)); do :; done; done' awake "$1" \
    >/dev/null 2>&1 </dev/null &
done
