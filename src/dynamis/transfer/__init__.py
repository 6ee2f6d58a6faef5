"""The chain: transfers from one quantity to the next, what is believed and what is true of them."""

from dynamis.transfer.chain import Chain, Share, Transfer
from dynamis.transfer.parameter import NOMINAL, Parameter, World
from dynamis.transfer.quantity import Quantity, Reached, Reason
from dynamis.transfer.registry import REGISTRY, Registry, StoredTransfer

__all__ = [
    "NOMINAL",
    "REGISTRY",
    "Chain",
    "Parameter",
    "Quantity",
    "Reached",
    "Reason",
    "Registry",
    "Share",
    "StoredTransfer",
    "Transfer",
    "World",
]
