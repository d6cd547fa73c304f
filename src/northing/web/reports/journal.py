"""The journal for the accountants: made, listed, downloaded; and the numbers of our accounts in their books."""

from django import forms
from django.contrib import messages
from django.http import StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone

from northing.access.permissions import companies_of
from northing.access.queries import scoped
from northing.actions.ledger.journal import LONGEST, ExportRequest, NumbersRequest, export_journal, number_accounts
from northing.ledger.models import Account, AccountNumber, JournalExport
from northing.masterdata.models import Company
from northing.reports.journal import journal_csv
from northing.web.common.forms import ActionForm, DayField
from northing.web.common.permissions import form_for


class ExportForm(ActionForm):
    """Which company, through which day."""

    company = forms.ModelChoiceField(Company.objects.none())
    through = DayField(label="Through")

    def __init__(self, *args, person, **kwargs):
        super().__init__(*args, **kwargs)
        self.fields["company"].queryset = scoped(Company.objects.all(), person, "pk")
        self.choose_the_only_one("company")


class NumbersForm(ActionForm):
    """A number for each account of a company."""

    def __init__(self, *args, known: dict[str, str], **kwargs):
        super().__init__(*args, **kwargs)
        for account, words in Account.choices:
            self.fields[account] = forms.CharField(
                max_length=LONGEST, required=False, label=words, initial=known.get(account, "")
            )

    def changed(self, known: dict[str, str]) -> dict[str, str]:
        """The numbers that differ from those known."""
        entered = {account: self.cleaned_data.get(account, "").strip() for account in Account.values}
        return {account: number for account, number in entered.items() if number != known.get(account, "")}


@form_for("close_period")
def journals(request):
    """Hand over what was not handed over yet, and what was."""
    form = ExportForm(request.POST or None, person=request.user, initial={"through": timezone.localdate()})
    if request.method == "POST":
        made = form.do(
            request, export_journal, lambda entered: ExportRequest(entered["company"].pk, entered["through"])
        )
        if made:
            messages.success(request, "The journal is made; download it below.")
            return redirect("journals")
    found = JournalExport.objects.filter(company__in=companies_of(request.user)).select_related("company", "made_by")
    companies = scoped(Company.objects.all(), request.user, "pk")
    context = {"form": form, "exports": found[:50], "companies": companies}
    return render(request, "reports/journals.html", context, status=422 if form.errors else 200)


@form_for("close_period")
def journal(request, export_id: int):
    """A journal as CSV; the same rows whenever it is asked for."""
    found = JournalExport.objects.select_related("company")
    export = get_object_or_404(found, pk=export_id, company__in=companies_of(request.user))
    answer = StreamingHttpResponse(journal_csv(export), content_type="text/csv; charset=utf-8")
    answer["Content-Disposition"] = f'attachment; filename="journal-{export.company.code}-{export.pk}.csv"'
    return answer


@form_for("close_period")
def numbers(request, company_id: int):
    """The numbers of a company's accounts in the books of its accountants."""
    company = get_object_or_404(scoped(Company.objects.all(), request.user, "pk"), pk=company_id)
    known = dict(AccountNumber.objects.filter(company=company).values_list("account", "number"))
    form = NumbersForm(request.POST or None, known=known)
    if request.method == "POST" and form.do(
        request, number_accounts, lambda _: NumbersRequest(company.pk, form.changed(known))
    ):
        messages.success(request, "Saved. Journals name accounts by these numbers.")
        return redirect("journals")
    context = {"title": f"Account numbers of {company}", "button": "Save", "form": form, "back": "journals"}
    return render(request, "common/simple_form.html", context, status=422 if form.errors else 200)
