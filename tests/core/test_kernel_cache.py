"""Compiled kernels are dropped when any source has changed, since numba looks at a kernel's own file alone."""

from highhall import kernel_cache


def test_kernels_of_other_sources_are_dropped_and_those_of_these_stay(tmp_path, monkeypatch) -> None:
    monkeypatch.setattr(kernel_cache, "_ROOT", tmp_path)
    monkeypatch.setattr(kernel_cache, "_STAMP", tmp_path / "__pycache__" / "kernels.sha256")
    source, compiled = tmp_path / "built_in.py", tmp_path / "effects" / "__pycache__" / "caller.py311.1.nbc"
    compiled.parent.mkdir(parents=True)
    source.write_text("GAIN = 1\n")
    compiled.write_bytes(b"kernel")
    assert kernel_cache.drop_stale_kernels() == 1  # of an unknown source
    compiled.write_bytes(b"kernel")
    assert kernel_cache.drop_stale_kernels() == 0
    source.write_text("GAIN = 2\n")
    assert kernel_cache.drop_stale_kernels() == 1
    assert not compiled.exists()
