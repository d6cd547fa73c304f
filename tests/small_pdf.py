"""A small PDF with so many empty pages."""


def small_pdf(pages: int = 1) -> bytes:
    """The file; without a table of where its objects stand, as papers that were mailed around often are."""
    kids = " ".join(f"{number + 3} 0 R" for number in range(pages))
    parts = ["%PDF-1.4", "1 0 obj <</Type/Catalog/Pages 2 0 R>> endobj"]
    parts.append(f"2 0 obj <</Type/Pages/Count {pages}/Kids[{kids}]>> endobj")
    parts += [f"{number + 3} 0 obj <</Type/Page/Parent 2 0 R/MediaBox[0 0 200 280]>> endobj" for number in range(pages)]
    return "\n".join([*parts, "trailer <</Root 1 0 R>>", "%%EOF"]).encode()
