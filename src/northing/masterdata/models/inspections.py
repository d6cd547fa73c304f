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
