"""Every family that is simulated, by name: the one registry of the yard."""

from __future__ import annotations

from zinger.practice.core.box import Box
from zinger.practice.hollin_e3.box import EdgeFirewall
from zinger.practice.hollin_g4.box import Firewall
from zinger.practice.hollin_m1.box import Manager
from zinger.practice.marrable_v6.box import Gateway
from zinger.practice.pennant_i7.box import FieldSwitch
from zinger.practice.pennant_p1.box import OfficeSwitch
from zinger.practice.pennant_r3.box import HomeRouter
from zinger.practice.quern_s2.box import Switch
from zinger.practice.quern_s9.box import Chassis
from zinger.practice.quern_t1.box import Broker
from zinger.practice.sallow_w5.box import Controller
from zinger.practice.sallow_w8.box import SmallController
from zinger.practice.tarn_b2.box import BridgeEnd

FAMILIES: dict[str, type[Box]] = {
    "hollin-e3": EdgeFirewall,
    "hollin-g4": Firewall,
    "hollin-m1": Manager,
    "marrable-v6": Gateway,
    "pennant-i7": FieldSwitch,
    "pennant-p1": OfficeSwitch,
    "pennant-r3": HomeRouter,
    "quern-s2": Switch,
    "quern-s9": Chassis,
    "quern-t1": Broker,
    "sallow-w5": Controller,
    "sallow-w8": SmallController,
    "tarn-b2": BridgeEnd,
}
