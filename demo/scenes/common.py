"""What the demo-picture scripts share: noise, meshes and materials for the renderer."""
import numpy as np, numba as nb
import mitsuba as mi, drjit as dr
mi.set_variant('llvm_ad_rgb')
from mitsuba import ScalarTransform4f as T

@nb.njit(inline='always')
def _h(x,y,z):
    h=nb.uint32(x)*nb.uint32(374761393)+nb.uint32(y)*nb.uint32(668265263)+nb.uint32(z)*nb.uint32(2147483647-58)
    h=nb.uint32((h^(h>>nb.uint32(13)))*nb.uint32(1274126177)); h=nb.uint32((h^(h>>nb.uint32(15)))*nb.uint32(2246822519))
    return nb.float64(nb.uint32(h^(h>>nb.uint32(16))))*(1.0/4294967295.0)

@nb.njit(cache=True)
def vnoise(x,y,z):
    fx=np.floor(x);fy=np.floor(y);fz=np.floor(z)
    ix=np.int64(fx);iy=np.int64(fy);iz=np.int64(fz)
    u=x-fx;v=y-fy;w=z-fz
    u=u*u*u*(u*(u*6-15)+10);v=v*v*v*(v*(v*6-15)+10);w=w*w*w*(w*(w*6-15)+10)
    a=_h(ix,iy,iz)*(1-u)+_h(ix+1,iy,iz)*u
    b=_h(ix,iy+1,iz)*(1-u)+_h(ix+1,iy+1,iz)*u
    c=_h(ix,iy,iz+1)*(1-u)+_h(ix+1,iy,iz+1)*u
    d=_h(ix,iy+1,iz+1)*(1-u)+_h(ix+1,iy+1,iz+1)*u
    return (a*(1-v)+b*v)*(1-w)+(c*(1-v)+d*v)*w

@nb.njit(cache=True)
def fbm(x,y,z,o):
    s=0.0;a=0.5;n=0.0
    for i in range(o):
        s+=a*vnoise(x,y,z);n+=a
        a*=0.5
        x,y,z=2.03*(0.8*x+0.6*y)+17.1,2.03*(-0.6*x+0.8*y)+3.7,2.03*z+9.2
    return s/n

@nb.njit(parallel=True,cache=True)
def fbm_arr(P,o):
    out=np.empty(P.shape[0])
    for i in nb.prange(P.shape[0]): out[i]=fbm(P[i,0],P[i,1],P[i,2],o)
    return out

def fbm2(shape,scale,o=6,seed=0,aniso=(1,1)):
    y,x=np.mgrid[0:shape[0],0:shape[1]]
    P=np.stack([x.ravel()/scale*aniso[0],y.ravel()/scale*aniso[1],np.full(x.size,seed*13.37+.5)],1).astype(float)
    return fbm_arr(P,o).reshape(shape)

def mesh(V,F,bsdf,uv=None,vcol=None,fcol=None,smooth=False,name='m'):
    p=mi.Properties(); p['b']=bsdf if not isinstance(bsdf,dict) else mi.load_dict(bsdf)
    if not smooth: p['face_normals']=True
    m=mi.Mesh(name,len(V),len(F),has_vertex_normals=smooth,has_vertex_texcoords=uv is not None,props=p)
    if vcol is not None: m.add_attribute('vertex_color',3,np.ascontiguousarray(vcol,np.float32).ravel())
    if fcol is not None: m.add_attribute('face_color',3,np.ascontiguousarray(fcol,np.float32).ravel())
    q=mi.traverse(m)
    q['vertex_positions']=np.ascontiguousarray(V,np.float32).ravel()
    q['faces']=np.ascontiguousarray(F,np.uint32).ravel()
    if uv is not None: q['vertex_texcoords']=np.ascontiguousarray(uv,np.float32).ravel()
    if smooth:
        V=np.asarray(V,float);F=np.asarray(F)
        fn=np.cross(V[F[:,1]]-V[F[:,0]],V[F[:,2]]-V[F[:,0]])
        N=np.zeros_like(V)
        for k in range(3):
            for j in range(3): N[:,j]+=np.bincount(F[:,k],fn[:,j],len(V))
        N/=np.linalg.norm(N,axis=1,keepdims=True)+1e-20
        q['vertex_normals']=np.ascontiguousarray(N,np.float32).ravel()
    q.update()
    return m

def grid_faces(nu,nv,wrap_u=False):
    """vertices indexed v*nu+u"""
    U=nu if wrap_u else nu-1
    u,v=np.meshgrid(np.arange(U),np.arange(nv-1))
    a=v*nu+u;b=v*nu+(u+1)%nu;c=(v+1)*nu+(u+1)%nu;d=(v+1)*nu+u
    return np.concatenate([np.stack([a,b,c],-1).reshape(-1,3),np.stack([a,c,d],-1).reshape(-1,3)])

def lathe(r,z,n=96,uvs=True):
    a=np.arange(n+1)/n*2*np.pi
    V=np.stack([np.outer(r,np.cos(a)),np.outer(r,np.sin(a)),np.outer(z,np.ones(n+1))],-1).reshape(-1,3)
    s=np.concatenate([[0],np.cumsum(np.hypot(np.diff(r),np.diff(z)))]);s/=s[-1]
    uv=np.stack([np.outer(np.ones(len(r)),a/(2*np.pi)),np.outer(s,np.ones(n+1))],-1).reshape(-1,2)
    return V,grid_faces(n+1,len(r)),uv

def box(c,s,rz=0.):
    x=np.array([[i,j,k] for k in(-.5,.5) for j in(-.5,.5) for i in(-.5,.5)])*np.array(s)
    R=np.array([[np.cos(rz),-np.sin(rz),0],[np.sin(rz),np.cos(rz),0],[0,0,1]])
    V=x@R.T+np.array(c)
    F=np.array([[0,2,3],[0,3,1],[4,5,7],[4,7,6],[0,1,5],[0,5,4],[2,6,7],[2,7,3],[0,4,6],[0,6,2],[1,3,7],[1,7,5]])
    return V,F

def tube(P,r,n=8,ref=None):
    P=np.asarray(P,float);t=np.gradient(P,axis=0);t/=np.linalg.norm(t,axis=1,keepdims=True)
    ref=np.array(ref,float) if ref is not None else np.array([0,0,1.]) if abs(t[:,2]).mean()<.8 else np.array([1.,0,0])
    a=np.cross(t,ref);a/=np.linalg.norm(a,axis=1,keepdims=True);b=np.cross(t,a)
    th=np.arange(n)/n*2*np.pi
    r=np.broadcast_to(r,(len(P),))
    V=P[:,None]+r[:,None,None]*(np.cos(th)[None,:,None]*a[:,None]+np.sin(th)[None,:,None]*b[:,None])
    return V.reshape(-1,3),grid_faces(n,len(P),True)

def join(parts):
    Vs=[];Fs=[];Cs=[];o=0
    for p in parts:
        Vs.append(p[0]);Fs.append(np.asarray(p[1])+o);o+=len(p[0])
        if len(p)>2: Cs.append(np.broadcast_to(p[2],(len(p[0]),3)))
    return (np.concatenate(Vs),np.concatenate(Fs))+((np.concatenate(Cs),) if Cs else ())

def diffuse(c): return {'type':'twosided','b':{'type':'diffuse','reflectance':c}}

def thin(c,dt=0.8,rough=.5): return {'type':'principledthin','base_color':c,'roughness':rough,'diff_trans':dt,'spec_trans':0.0,'eta':1.3}

def srgb(*c):
    c=np.array(c,float)/255.; return np.where(c<=.04045,c/12.92,((c+.055)/1.055)**2.4)

def film(W,H): return {'type':'hdrfilm','width':W,'height':H,'pixel_format':'rgba','component_format':'float32','rfilter':{'type':'box'}}

def oetf(x): return np.where(x<=.0031308,12.92*x,1.055*np.maximum(x,1e-9)**(1/2.4)-.055)
