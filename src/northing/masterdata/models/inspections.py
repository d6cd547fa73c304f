"""What is inspected when it comes in, and how."""

from decimal import Decimal

from django.db import models

from northing.masterdata.models.items import Item
from northing.masterdata.models.parties import Party


class InspectionRule(models.Model):
    """How goods of an item or of a group, from a supplier or from any, are inspected. The narrowest rule counts.

    Without any rule what an item says itself counts: every receipt, or none.
    """

    class How(models.TextChoices):
        NONE = "none", "not at all"
        EVERY = "every", "every receipt, all of it"
        SAMPLING = "sampling", "a sample of every receipt"
        SKIP_LOT = "skip-lot", "a sample of some receipts, drawn by lot"

    item = models.ForeignKey(Item, models.PROTECT, null=True, related_name="inspection_rules")
    group = models.CharField(max_length=40, blank=True, default="")
    supplier = models.ForeignKey(Party, models.PROTECT, null=True, related_name="inspection_rules")
    how = models.CharField(max_length=8, choices=How.choices)
    level = models.CharField(max_length=3, default="II")
    # Acceptance quality limits of major and of minor defects; one that is critical rejects the lot. ISO 2859-1.
    aql = models.DecimalField(max_digits=7, decimal_places=3, default=Decimal("1.0"))
    aql_minor = models.DecimalField(max_digits=7, decimal_places=3, null=True)
    reduces = models.BooleanField(default=True)
    skip_after = models.PositiveSmallIntegerField(default=10)
    skip_one_in = models.PositiveSmallIntegerField(default=5)
    # Papers that come with the goods, a name in each line: a certificate of the lot.
    papers = models.TextField(blank=True, db_default="")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(
                fields=["item", "group", "supplier"], name="inspection_rule_once", nulls_distinct=False
            ),
            models.CheckConstraint(
                condition=models.Q(skip_after__gte=1) & models.Q(skip_one_in__gte=1), name="inspection_rule_skips"
            ),
        ]

    def __str__(self):
        of = self.item.code if self.item else self.group or "everything"
        return f"{of}{f' from {self.supplier}' if self.supplier else ''}: {self.get_how_display()}"

    @property
    def narrow(self) -> tuple[int, bool]:
        """How narrow it is: one for an item before one for a group, and with a supplier before one for any."""
        return (2 if self.item_id else 1 if self.group else 0, self.supplier_id is not None)

    @property
    def samples(self) -> bool:
        """Whether a sample is taken."""
        return self.how in (self.How.SAMPLING, self.How.SKIP_LOT)

    @property
    def paper_names(self) -> list[str]:
        """The papers that must be there, by name."""
        return [name.strip() for name in self.papers.splitlines() if name.strip()]


class Severity(models.TextChoices):
    """The classes of non-conformity of ISO 2859-1, 3.1.7: what they do to a lot differs."""

    CRITICAL = "critical", "critical"
    MAJOR = "major", "major"
    MINOR = "minor", "minor"


class Defect(models.Model):
    """What units can have wrong, as the house calls it, and how grave it is."""

    code = models.CharField(max_length=16, unique=True)
    name = models.CharField(max_length=60)
    severity = models.CharField(max_length=8, choices=Severity.choices, default=Severity.MAJOR)

    class Meta:
        ordering = ["code"]

    def __str__(self):
        return self.name


class Characteristic(models.Model):
    """What is looked at of each unit of a sample, of an item or of a group: measured against limits, or yes or no.

    Limits are in its unit and belong to what is right.
    """

    item = models.ForeignKey(Item, models.PROTECT, null=True, related_name="characteristics")
    group = models.CharField(max_length=40, blank=True, default="")
    name = models.CharField(max_length=60)
    unit = models.CharField(max_length=12, blank=True, default="")
    least = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    most = models.DecimalField(max_digits=14, decimal_places=4, null=True)
    severity = models.CharField(max_length=8, choices=Severity.choices, default=Severity.MAJOR)

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["item", "group", "name"], name="characteristic_once", nulls_distinct=False),
            models.CheckConstraint(
                condition=models.Q(least=None) | models.Q(most=None) | models.Q(least__lte=models.F("most")),
                name="characteristic_limits",
            ),
        ]

    def __str__(self):
        return self.name

    @property
    def measured(self) -> bool:
        """Whether a figure is noted of it, not a yes or no."""
        return self.least is not None or self.most is not None

    def right(self, value: Decimal) -> bool:
        """Whether a measured value is within the limits."""
        return (self.least is None or value >= self.least) and (self.most is None or value <= self.most)

    @property
    def limits(self) -> str:
        """Its limits in words, with their unit."""
        if self.least is not None and self.most is not None:
            words = f"{self.least.normalize():f} to {self.most.normalize():f}"
        elif self.least is not None:
            words = f"at least {self.least.normalize():f}"
        else:
            words = f"at most {self.most.normalize():f}" if self.most is not None else ""
        return f"{words} {self.unit}".strip()
