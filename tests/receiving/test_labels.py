"""Labels that are more than are printed at a time: a last page says how many are left, and how to go on."""

from unittest.mock import patch

from django.urls import reverse

from northing.masterdata.models import Bin


def test_labels_beyond_the_most_are_said_and_printed_from_there_on(world, signed_in):
    codes = sorted(Bin.objects.filter(site=world.site).values_list("code", flat=True))

    def printed(**asked):
        with patch("northing.reports.labels.MOST", 2), patch("northing.reports.labels.to_pdf", return_value=b"") as pdf:
            signed_in("dock").get(reverse("bin-labels", args=[world.site.pk]), asked)
        return [label.big for label in pdf.call_args.args[1]["labels"]]

    assert len(codes) > 2
    assert printed() == [*codes[:2], f"{len(codes) - 2} more labels"]
    assert printed(**{"from": len(codes)}) == codes[-1:]
    assert printed(bin=codes[0].lower()) == codes[:1]
