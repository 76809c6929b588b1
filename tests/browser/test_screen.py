"""The live view is drawn by a worker, or by the page where the browser has none that can."""

from __future__ import annotations

import numpy as np
import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import open_bench
from tests.browser.test_work import snapshot

pytestmark = [pytest.mark.browser, pytest.mark.timeout(900)]

DUSK = 1


def test_the_page_draws_what_a_worker_would(page: Page) -> None:
    open_bench(page, DUSK, "direct")
    assert len(page.workers) == 1
    by_worker = snapshot(page, 96)
    page.add_init_script("delete HTMLCanvasElement.prototype.transferControlToOffscreen")
    open_bench(page, DUSK, "direct")
    assert page.workers == []
    by_page = snapshot(page, 96)
    assert by_page.std() > 20  # it is no empty frame
    assert np.abs(by_page.astype(int) - by_worker).max() <= 1


def test_without_webgl_the_page_says_so_and_works(page: Page) -> None:
    page.add_init_script("""
      delete HTMLCanvasElement.prototype.transferControlToOffscreen;
      const ask = HTMLCanvasElement.prototype.getContext;
      HTMLCanvasElement.prototype.getContext = function (kind, ...how) {
        return kind.startsWith("webgl") ? null : ask.call(this, kind, ...how);
      };""")
    page.goto(f"/shots/{DUSK}/direct")
    expect(page.locator("[data-part=veil]")).to_contain_text("cannot draw with WebGL")
    expect(page.locator(".sheet-plan .bar").first).to_be_attached()  # a line has no height
    page.wait_for_timeout(1500)
    expect(page.locator("[data-part=veil]")).to_contain_text("Rendering works")
