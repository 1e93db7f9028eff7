"""What a studio does with its house: a proxy with HTTPS in front, settings without a warning, backups, an upgrade."""

import os
import shutil
import socket
import ssl
import subprocess
import time
from pathlib import Path

import httpx
import pytest
from django.db import connection

from tests.conftest import ROOT
from tests.house.conftest import PG, run

pytestmark = [pytest.mark.django_db(transaction=True), pytest.mark.timeout(300)]
NAME = "hush.house.test"


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


def test_the_production_settings_have_no_warning():
    env = {name: value for name, value in os.environ.items() if name != "DJANGO_ALLOW_ASYNC_UNSAFE"}
    env |= {"HUSH_HTTPS": "1", "HUSH_HOSTS": NAME, "HUSH_SECRET": "a long word " * 8}
    said = run(
        str(ROOT / ".venv/bin/python"), "server/manage.py", "check", "--deploy", "--fail-level", "WARNING", env=env
    )
    assert "no issues" in said


@pytest.fixture
def proxy(house, tmp_path):
    """nginx with a certificate made here, as docs/deploy.md has it."""
    place = tmp_path / "proxy"
    place.mkdir()
    cert, key = place / "cert.pem", place / "key.pem"
    run(
        "openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-keyout", str(key), "-out", str(cert),
        "-subj", f"/CN={NAME}", "-addext", f"subjectAltName=DNS:{NAME}",
    )  # fmt: skip
    house.env.update({"HUSH_HTTPS": "1", "HUSH_HOSTS": NAME, "HUSH_DEMO": ""})
    ports = {"HUSH_PORT": str(house.port), "HUSH_HTTPS_PORT": str(free_port()), "HUSH_HTTP_PORT": str(free_port())}
    conf = place / "nginx.conf"
    conf.write_text(run("bin/proxy-conf", NAME, str(cert), str(key), str(place), env={**os.environ, **ports}))
    served = subprocess.Popen(
        ["bin/serve", "web"], cwd=ROOT, env={**house.env, **ports, "HUSH_WEB_PROCESSES": "2"},
        stdout=(house.place / "server.log").open("wb"), stderr=subprocess.STDOUT, start_new_session=True,
    )  # fmt: skip
    run("/usr/sbin/nginx", "-t", "-c", str(conf))
    nginx = subprocess.Popen(["/usr/sbin/nginx", "-c", str(conf), "-g", "daemon off;"], stderr=subprocess.DEVNULL)
    try:
        yield {"cert": cert, "https": int(ports["HUSH_HTTPS_PORT"]), "http": int(ports["HUSH_HTTP_PORT"])}
    finally:
        nginx.terminate()
        nginx.wait(10)
        os.killpg(served.pid, 15)
        served.wait(15)


class Through(httpx.HTTPTransport):
    """Goes to this machine, whatever name is asked for."""

    def __init__(self, port: int, verify: ssl.SSLContext) -> None:
        super().__init__(verify=verify)
        self.port = port

    def handle_request(self, request: httpx.Request) -> httpx.Response:
        there = request.url.copy_with(host="127.0.0.1", port=self.port)
        named = {**request.extensions, "sni_hostname": NAME}
        return super().handle_request(
            httpx.Request(request.method, there, headers=request.headers, stream=request.stream, extensions=named)
        )


def test_a_house_behind_a_proxy_speaks_https_alone(proxy, job):
    trusts = ssl.create_default_context(cafile=str(proxy["cert"]))
    client = httpx.Client(base_url=f"https://{NAME}", transport=Through(proxy["https"], trusts), timeout=20)
    client.headers["Host"] = NAME
    for _ in range(120):
        try:
            if client.get("/api/session").status_code == 200:
                break
        except httpx.TransportError:
            pass
        time.sleep(0.5)
    clear = httpx.get(f"http://127.0.0.1:{proxy['http']}/jobs", headers={"Host": NAME}, follow_redirects=False)
    assert (clear.status_code, clear.headers["location"]) == (301, f"https://{NAME}:{proxy['https']}/jobs")
    assert httpx.get(f"http://127.0.0.1:{proxy['http']}/health", headers={"Host": NAME}).json()["database"] == "ok"
    page = client.get("/")
    assert "max-age=31536000" in page.headers["Strict-Transport-Security"]
    assert page.headers["X-Frame-Options"] == "DENY"
    assert client.get("/metrics").status_code == 403
    assert client.get("/api/session", headers={"Host": "evil.example"}).status_code in (400, 404, 421)

    csrf = client.get("/api/session").json()["csrf"]
    origin = {"X-CSRFToken": csrf, "Referer": f"https://{NAME}/"}
    signed = client.post("/api/session", json={"name": "ada", "password": "linen and clay"}, headers=origin)
    assert signed.status_code == 200, signed.text
    cookies = [value for name, value in signed.headers.multi_items() if name.lower() == "set-cookie"]
    assert any("sessionid" in cookie for cookie in cookies)
    assert all("Secure" in cookie for cookie in cookies)
    origin["X-CSRFToken"] = signed.json()["csrf"]
    at = f"/api/fixes/{job['fix']['id']}"
    with client.stream("GET", "/api/events") as events:  # news comes through the proxy at once
        lines = events.iter_lines()
        next(lines)
        began = time.monotonic()
        named = client.patch(f"{at}/name", json={"version": job["fix"]["version"], "name": "Behind"}, headers=origin)
        assert named.status_code == 200, named.text
        assert any('"kind": "fix"' in line for line, _ in zip(lines, range(8), strict=False))
        assert time.monotonic() - began < 5
    other = client.patch(
        f"{at}/name", json={"version": 1, "name": "x"}, headers={**origin, "Referer": "https://evil.example/"}
    )
    assert other.status_code == 403


def test_a_backup_brings_everything_back(house, job, settings, tmp_path):
    (settings.PLATES / "1").mkdir(parents=True)
    (settings.PLATES / "1" / "plate.tif").write_bytes(b"a plate that was painted elsewhere")
    base = ["-h", "127.0.0.1", "-p", os.environ["HUSH_DB_PORT"], "-U", "hush"]
    env = {**house.env, "HUSH_DB": connection.settings_dict["NAME"]}
    run("bin/backup", str(tmp_path / "kept"), env=env)
    full = run("bin/restore", str(tmp_path / "kept"), env=env, code=1)
    assert "is not empty" in full
    shutil.rmtree(settings.PLATES)
    subprocess.run([PG / "dropdb", *base, "--if-exists", "hush_back"], check=True)
    subprocess.run([PG / "createdb", *base, "hush_back"], check=True)
    again = {**env, "HUSH_DB": "hush_back"}
    try:
        run("bin/restore", str(tmp_path / "kept"), env=again)
        assert (settings.PLATES / "1" / "plate.tif").read_bytes().startswith(b"a plate")
        ask = (
            "from fixes.models import Fix, Revision; from django.contrib.auth.models import User; "
            "print(Fix.objects.get().document['name'], Revision.objects.count(), User.objects.get().username)"
        )
        said = run(str(ROOT / ".venv/bin/python"), "server/manage.py", "shell", "-v", "0", "-c", ask, env=again)
        from fixes.models import Fix, Revision

        assert said.strip().splitlines()[-1] == f"{Fix.objects.get().document['name']} {Revision.objects.count()} ada"
        spoilt = tmp_path / "kept" / "plates.tar"
        spoilt.write_bytes(spoilt.read_bytes()[:-10])
        assert "not whole" in run("bin/restore", str(tmp_path / "kept"), env=again, code=1)
    finally:
        subprocess.run([PG / "dropdb", *base, "hush_back"], check=True)


HERE = Path(__file__).resolve().parent


def test_an_upgrade_from_the_first_release_loses_nothing():
    base = ["-h", "127.0.0.1", "-p", os.environ["HUSH_DB_PORT"], "-U", "hush"]
    subprocess.run([PG / "dropdb", *base, "--if-exists", "hush_old"], check=True)
    subprocess.run([PG / "createdb", *base, "hush_old"], check=True)
    env = {**os.environ, "HUSH_DB": "hush_old"}
    manage = [str(ROOT / ".venv/bin/python"), "server/manage.py"]
    try:
        run(*manage, "shell", "-v", "0", "-c", (HERE / "old_release.py").read_text(), env=env)
        run(*manage, "migrate", "-v", "0", env=env)
        said = (
            run(*manage, "shell", "-v", "0", "-c", (HERE / "new_release.py").read_text(), env=env)
            .strip()
            .splitlines()[-3:]
        )
        assert said == [
            "['frames'] [2] wall wall-0001",
            "[('ada', 'supervisor'), ('bo', 'supervisor')] ['ada']",
            "Crest",
        ]
    finally:
        subprocess.run([PG / "dropdb", *base, "hush_old"], check=True)
