"""`python -m dynamis`."""

from dynamis.app import console

console()
