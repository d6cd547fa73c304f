"""Companies, sites, parties, items, and the facts that passages are planned by."""

from northing.masterdata.models.costs import RateCard, UsualBasis
from northing.masterdata.models.inspections import Characteristic, Defect, InspectionRule, Severity
from northing.masterdata.models.items import Agreement, ExchangeRate, Item, Pack
from northing.masterdata.models.parties import (
    LINK_MAY,
    OWES,
    BankAccount,
    ClaimDays,
    Party,
    PaymentMethod,
    PaymentTerms,
    TaxCode,
    may_change_all,
    owes_all,
)
from northing.masterdata.models.places import Bin, Company, Port, Site, WithoutOrder
from northing.masterdata.models.planning import FreeTime, Holiday, PastPassage, RouteLeg, WorkingWeek
from northing.masterdata.models.tariffs import CountryGroup, TariffRule, Territory

__all__ = [
    "Agreement",
    "BankAccount",
    "Bin",
    "Company",
    "CountryGroup",
    "Characteristic",
    "ClaimDays",
    "Defect",
    "ExchangeRate",
    "FreeTime",
    "Holiday",
    "InspectionRule",
    "Item",
    "LINK_MAY",
    "OWES",
    "Pack",
    "Party",
    "PastPassage",
    "PaymentMethod",
    "PaymentTerms",
    "TariffRule",
    "TaxCode",
    "Territory",
    "UsualBasis",
    "Port",
    "RateCard",
    "RouteLeg",
    "Severity",
    "Site",
    "WithoutOrder",
    "WorkingWeek",
    "may_change_all",
    "owes_all",
]
