"""Orders by what they are called."""

from django.db.models import Q


def called(words: str) -> Q:
    """Orders whose number, our reference or the supplier's contains the words."""
    return Q(number__icontains=words) | Q(reference__icontains=words) | Q(supplier_reference__icontains=words)
