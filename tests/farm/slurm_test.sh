#!/usr/bin/env bash
# tools/slurm-batch on a real Slurm (Debian: slurm-wlm): one controller and two node daemons on this machine, as nodes of
# one core each. One job is killed and put back into the queue in the middle, one node is taken down. Every recording
# must be delivered once, nothing twice. Ends with 77 where Slurm is not installed, which ctest shows as skipped.
# RECORDINGS (200) says how many.
set -euo pipefail
here=$(cd "$(dirname "$0")/../.." && pwd)
cli=${RIVLEN_CLI:-$here/build/release/cli/rivlen-cli}
for program in slurmctld slurmd sbatch; do
  command -v "$program" >/dev/null || PATH=$PATH:/usr/sbin
  command -v "$program" >/dev/null || { echo "Slurm is not installed ($program is missing): not tried."; exit 77; }
done
[[ $(id -u) == 0 ]] || { echo "Node daemons need root: not tried."; exit 77; }
count=${RECORDINGS:-200}
scratch=$(mktemp -d)
pids=()
finish() {
  scancel --user="$(id -un)" 2>/dev/null || true
  ((${#pids[@]} == 0)) || kill "${pids[@]}" 2>/dev/null || true
  wait 2>/dev/null || true
  [[ -n ${KEEP:-} ]] && echo "kept: $scratch" || rm -rf "$scratch"
}
trap finish EXIT

host=$(hostname -s)
export SLURM_CONF=$scratch/slurm.conf
mkdir -p "$scratch"/{state,n1,n2}
cat >"$SLURM_CONF" <<CONF
ClusterName=rivlen
SlurmctldHost=$host(127.0.0.1)
SlurmctldPort=17817
SlurmUser=root
SlurmdUser=root
AuthType=auth/none
CredType=cred/none
StateSaveLocation=$scratch/state
SlurmdSpoolDir=$scratch/%n
SlurmctldPidFile=$scratch/ctld.pid
SlurmdPidFile=$scratch/%n.pid
SlurmctldLogFile=$scratch/ctld.log
SlurmdLogFile=$scratch/%n.log
ProctrackType=proctrack/linuxproc
TaskPlugin=task/none
SelectType=select/cons_tres
SelectTypeParameters=CR_CPU
SchedulerType=sched/builtin
SchedulerParameters=batch_sched_delay=1
MpiDefault=none
ReturnToService=2
KillWait=2
MinJobAge=300
NodeName=n1 NodeHostname=$host NodeAddr=127.0.0.1 Port=17818 CPUs=1 RealMemory=1500
NodeName=n2 NodeHostname=$host NodeAddr=127.0.0.1 Port=17819 CPUs=1 RealMemory=1500
PartitionName=all Nodes=n1,n2 Default=YES State=UP MaxTime=INFINITE
CONF
slurmctld -D >"$scratch/ctld.out" 2>&1 &
pids+=($!)
for node in n1 n2; do
  slurmd -D -N "$node" >"$scratch/$node.out" 2>&1 &
  pids+=($!)
done
node_two=${pids[2]}
for _ in $(seq 60); do
  [[ $(sinfo --noheader --Node --states=idle --format=%N 2>/dev/null | wc -l) == 2 ]] && break
  sleep 1
done
sinfo
[[ $(sinfo --noheader --Node --states=idle --format=%N | wc -l) == 2 ]] || { tail -5 "$scratch"/*.out "$scratch"/*.log; exit 1; }

# Recordings of a second: noise and tones, each its own.
mkdir "$scratch/in"
for i in $(seq -w "$count"); do
  sox -q -n -r 48000 -c 1 "$scratch/in/take $i.wav" synth 1 sine $((200 + 10#$i)) synth 1 whitenoise mix gain -12
done
cat >"$scratch/table.rivlen-handover" <<TABLE
{"rivlen_handover": 1, "name": "farm", "rows": [{"content": "mix"}, {"content": "dialogue", "container": "flac"}]}
TABLE
export RIVLEN_CLI=$cli RIVLEN_SLURM_LOOK_SECONDS=1 OMP_NUM_THREADS=1 OPENBLAS_NUM_THREADS=1
"$here/tools/slurm-batch" "$scratch/in" --output "$scratch/out" --shards 8 -- \
  --template "$scratch/table.rivlen-handover" --work "$scratch/work" >"$scratch/watch.log" 2>&1 &
watch=$!
done_so_far() { cat "$scratch"/out/events/*.jsonl 2>/dev/null | grep -c '"event":"finished"' || true; }
wait_for() {
  while (($(done_so_far) < $1)) && kill -0 "$watch" 2>/dev/null; do sleep 0.2; done
}
wait_for $((count / 10))
victim=$(squeue --noheader --array --states=RUNNING --format=%i | head -1)
echo "killed and put back: job $victim after $(done_so_far) recordings"
scontrol requeue "$victim"
wait_for $((count / 3))
echo "taken down: node n2 after $(done_so_far) recordings"
kill -9 "$node_two"
scontrol update NodeName=n2 State=DOWN Reason="taken down by the test"
wait_for $((count / 2))
wait "$watch" && status=0 || status=$?
cat "$scratch/watch.log"
[[ $status == 0 ]] || { tail -5 "$scratch"/out/events/*.log; exit 1; }
# By other means than the report: every recording has its two files and one report; nothing is half written.
mixes=$(find "$scratch/out" -name '*mix.wav' | wc -l) voices=$(find "$scratch/out" -name '*dialogue.flac' | wc -l)
reports=$(find "$scratch/out" -name '* report.html' | wc -l) parts=$(find "$scratch/out" -name '.*.part*' | wc -l)
begun=$(cat "$scratch"/out/events/*.jsonl | grep -c '"event":"recording_started"')
echo "$mixes mixes, $voices voices, $reports reports, $parts left half written; $begun beginnings for $count recordings"
[[ $mixes == "$count" && $voices == "$count" && $reports == "$count" && $parts == 0 && $begun -gt $count ]]
# A recording that was in hand when its process was stopped may have an earlier report; no other.
earlier=$(find "$scratch/out" -name '*earlier.html' | wc -l)
((earlier <= 2)) || { echo "$earlier recordings have an earlier report"; exit 1; }
echo passed
