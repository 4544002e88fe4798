"""Figures of a process for whoever watches over it, in the Prometheus exposition format (by prometheus_client)."""

from prometheus_client import Counter, Gauge, Histogram

REQUESTS = Histogram(
    "hh_request_seconds",
    "How long requests took, by address and how they were answered.",
    ["address", "status"],
    buckets=(0.005, 0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5, 10),
)
RENDERED = Histogram(
    "hh_segment_render_seconds",
    "How long it took to render segments that were not there.",
    buckets=(0.01, 0.025, 0.05, 0.1, 0.25, 0.5, 1, 2.5),
)
KEPT = Counter("hh_segments_kept", "Segments that were there when they were asked for.")
ENGINES = Gauge("hh_engines_bytes", "Memory of engines at rest, in bytes.")
WAITING = Gauge("hh_jobs_waiting", "Jobs that wait for a worker, by task.", ["task"])
WORKERS = Gauge("hh_workers_alive", "Workers that gave a sign of life in the last half minute.")
EDITS = Counter("hh_edits", "Edits that were stored.")
