import { queryOptions } from '@tanstack/react-query'
import { api, dataOf, type Body, type Query } from './client'

/** Open a dataset for a brief. */
export const createDataset = (brief: number, body: Body<'create_dataset'>) =>
  dataOf(
    api.POST('/api/briefs/{brief_id}/datasets/', { params: { path: { brief_id: brief } }, body }),
  )

/** Rename a dataset, put it away or bring it back. */
export const changeDataset = (dataset: number, body: Body<'change_dataset'>) =>
  dataOf(
    api.PUT('/api/datasets/{dataset_id}/', { params: { path: { dataset_id: dataset } }, body }),
  )

/** A dataset of its own with the cases as they are now. */
export const copyDataset = (dataset: number, body: Body<'copy_dataset'>) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/copy/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** Take the last import back, as long as nothing changed the cases since. */
export const takeBack = (dataset: number) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/take-back/', {
      params: { path: { dataset_id: dataset } },
    }),
  )

/** Everything that was read of a dataset's cases, by whatever view. */
export const casesOf = (dataset: number) => ['cases', dataset] as const

/** A page of the newest version's cases; `split`, `q` and `where` narrow it, `sort` orders it. */
export const casesQuery = (dataset: number, query: Query<'cases'>) =>
  queryOptions({
    queryKey: [...casesOf(dataset), query] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/cases/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })

/** How far the cases, and further ones with these tags, cover the dimensions. */
export const caseCoverageQuery = (dataset: number, body: Body<'case_coverage'> = {}, as: unknown) =>
  queryOptions({
    queryKey: ['coverage', dataset, body, as] as const,
    queryFn: ({ signal }) =>
      dataOf(
        api.POST('/api/datasets/{dataset_id}/coverage/', {
          params: { path: { dataset_id: dataset } },
          body,
          signal,
        }),
      ),
  })

/** Change, add, take out or put back cases; trials keep the revisions they ran on. */
export const editCases = (dataset: number, body: Body<'edit_cases'> = {}) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/edit/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** One change of every case that a view shows, or of a stretch of it. */
export const bulkChange = (dataset: number, body: Body<'bulk_change'>) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/bulk/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** Near-duplicates, leaks, labels and lengths; of very many cases the first two only if asked for. */
export const caseQualityQuery = (dataset: number, query: Query<'case_quality'>, as: unknown) =>
  queryOptions({
    queryKey: ['quality', dataset, query, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/quality/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })

/** Hold a share of all cases out at random, every label or tag in its share. */
export const splitCases = (dataset: number, body: Body<'split_cases'>) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/split/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** Put a reference right; every stored output of the case is scored by it, without a call. */
export const correctReference = (revision: number, body: Body<'correct_reference'>) =>
  dataOf(
    api.POST('/api/revisions/{revision_id}/correct/', {
      params: { path: { revision_id: revision } },
      body,
    }),
  )

/** What a case's reference said before, the newest correction first. */
export const correctionsQuery = (revision: number, as: unknown) =>
  queryOptions({
    queryKey: ['corrections', revision, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/revisions/{revision_id}/corrections/', {
          params: { path: { revision_id: revision } },
        }),
      ),
  })

/** Groups of copies among the cases, a page of them. */
export const copiesQuery = (dataset: number, query: Query<'copies'>, as: unknown) =>
  queryOptions({
    queryKey: [...casesOf(dataset), 'copies', query, as] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/copies/', {
          params: { path: { dataset_id: dataset }, query },
        }),
      ),
  })

/** Settle groups of copies: one stays, one source and side, or as they are. */
export const settleCopies = (dataset: number, body: Body<'settle_copies'>) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/copies/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** Rename, take out, join or split columns of all cases; looked at first without `store`. */
export const changeColumns = (dataset: number, body: Body<'change_columns'>) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/columns/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** Files and folders of this machine that a dataset may be tied to. */
export const filesQuery = () =>
  queryOptions({
    queryKey: ['files'] as const,
    queryFn: () => dataOf(api.GET('/api/files/')),
    staleTime: 0,
  })

/** What a dataset is read from, and whether that was changed since. */
export const tiedQuery = (dataset: number, path: string | null) =>
  queryOptions({
    queryKey: ['tied', dataset, path] as const,
    queryFn: () =>
      dataOf(
        api.GET('/api/datasets/{dataset_id}/tied/', { params: { path: { dataset_id: dataset } } }),
      ),
    staleTime: 0,
    enabled: path !== null,
  })

/** Tie a dataset to a file or folder of this machine, or untie it. */
export const tieDataset = (dataset: number, body: Body<'tie_dataset'>) =>
  dataOf(
    api.PUT('/api/datasets/{dataset_id}/tied/', {
      params: { path: { dataset_id: dataset } },
      body,
    }),
  )

/** How each encoding and delimiter would read the lines of a file that tell them apart. */
export const hardLines = (dataset: number, file: FormData) =>
  dataOf(
    api.POST('/api/datasets/{dataset_id}/hard-lines/', {
      params: { path: { dataset_id: dataset } },
      // A form goes as it is, not as JSON.
      body: file as unknown as undefined,
      bodySerializer: (form: unknown) => form as FormData,
    }),
  )
