"""Servers in processes of their own."""

from __future__ import annotations

import time
import urllib.error
import urllib.request


def answered(address: str) -> int:
    """The status of a page, once the kernels are there: until then it is asked again, as a browser would."""
    while True:
        try:
            return int(urllib.request.urlopen(address).status)
        except urllib.error.HTTPError as error:
            if error.code != 503:
                return error.code
            time.sleep(float(error.headers["Retry-After"]))
