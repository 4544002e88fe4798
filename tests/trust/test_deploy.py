"""What an operator takes from `deploy/` is understood by the programs that it is for."""

import subprocess
from pathlib import Path

import pytest
from django.db import connection

from tests.trust.certificates import certificate_in
from tests.web.processes import ROOT, environment, free_port

pytestmark = pytest.mark.django_db(transaction=True)


def configuration(**variables: str) -> str:
    asked = environment(HH_PORT=str(free_port()), **variables)
    done = subprocess.run(["bin/serve", "front", "-t"], cwd=ROOT, env=asked, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr
    return (Path(asked["HH_DATA_DIR"]) / "run" / "nginx.conf").read_text()


def test_nginx_takes_the_configuration_of_one_machine_and_of_several(tmp_path) -> None:
    assert connection.settings_dict["NAME"]
    one = configuration()
    assert one.count("server unix:") == 4  # web, for pages and for uploads, news, and sound
    assert "@" not in "\n".join(line for line in one.splitlines() if not line.strip().startswith(("#", "location @", "error_page", "try_files")))  # fmt: skip
    many = configuration(HH_WEB_PROCESSES="2", HH_SOUND_AT="10.0.0.2:80 10.0.0.3:80", HH_TLS=" ".join(certificate_in(tmp_path)), HH_TRUSTED_PROXIES="2")  # fmt: skip
    assert "web-2.sock" in many
    assert "server 10.0.0.3:80 max_fails=1" in many
    assert "ssl_certificate_key" in many
    assert "X-Forwarded-Proto $http_x_forwarded_proto" in many


def test_systemd_takes_the_units(tmp_path) -> None:
    units = []
    for unit in sorted((ROOT / "deploy").glob("*.service")):
        copy = tmp_path / unit.name.replace("@", "@1")
        copy.write_text(unit.read_text().replace("/opt/high-hall", str(ROOT)).replace("User=highhall", "User=root"))
        units.append(str(copy))
    assert len(units) == 5
    done = subprocess.run(["systemd-analyze", "verify", "--man=no", *units], capture_output=True, text=True)
    about_ours = [line for line in done.stderr.splitlines() if "high-hall" in line]
    assert not about_ours
    assert done.returncode == 0, done.stderr
